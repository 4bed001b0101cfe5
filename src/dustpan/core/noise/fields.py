"""Noise by tone and region of the picture. Local tone, haze and masks make it depend on both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dustpan.core.noise.model import NoiseModel, channel_deviations
from dustpan.core.picture.region import Extent


class NoiseField:
    """The noise at a step's input, by tone and by region of the picture."""

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the block coefficients, (5, 3, 8, 8)."""
        raise NotImplementedError

    @property
    def correlation(self) -> np.ndarray:
        """Correlation of the planes of each of `PAIRS`, (5, 3)."""
        raise NotImplementedError

    def sigma(self, tone: np.ndarray, extent: Extent, *, level: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations for an (h, w) plane of tones spread over `extent`."""
        raise NotImplementedError

    def channel_sigma(self, tone: np.ndarray, extent: Extent) -> np.ndarray:
        """Return (3, h, w) deviations of red, green and blue for an (h, w) plane of tones spread over `extent`."""
        return channel_deviations(self.sigma(tone, extent), self.correlation[0])


@dataclass(frozen=True, eq=False)
class EvenField(NoiseField):
    """Noise that depends on tone alone."""

    model: NoiseModel

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients, (5, 3, 8, 8)."""
        return self.model.spectrum

    @property
    def correlation(self) -> np.ndarray:
        """Correlation of the planes, (5, 3)."""
        return self.model.correlation

    def sigma(self, tone, extent, *, level=0):
        """Return (3, h, w) deviations, the same everywhere."""
        return self.model.at(tone, level=level)


@dataclass(frozen=True, eq=False)
class LiftedField(NoiseField):
    """Noise after a step that lifts each region by its own number of stops.

    Attributes
    ----------
    lifts : stops, ascending.
    fields : the noise for each of `lifts`, were it the lift of the whole picture.
    lift : gives the stops at (h, w) points spread over an extent.
    """

    lifts: np.ndarray
    fields: tuple[NoiseField, ...]
    lift: Callable[[Extent, tuple[int, int]], np.ndarray]

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients, those of the middle lift."""
        return self.fields[len(self.fields) // 2].spectrum

    @property
    def correlation(self) -> np.ndarray:
        """Correlation of the planes, (5, 3), that of the middle lift."""
        return self.fields[len(self.fields) // 2].correlation

    def sigma(self, tone, extent, *, level=0):
        """Return (3, h, w) deviations by linear interpolation between the fields of two lifts."""
        position = np.interp(self.lift(extent, tone.shape), self.lifts, np.arange(len(self.lifts)))
        total = np.zeros((3, *tone.shape), np.float32)
        for index, lifted in enumerate(self.fields):
            weight = np.clip(1 - np.abs(position - index), 0, 1).astype(np.float32)
            if weight.any():
                total += weight * lifted.sigma(tone, extent, level=level)
        return total


@dataclass(frozen=True, eq=False)
class MixedField(NoiseField):
    """Noise after a step that is laid over its input by a mask.

    Attributes
    ----------
    before, after : the noise before and after the step.
    share : gives the mask, 0 to 1, at (h, w) points spread over an extent.
    """

    before: NoiseField
    after: NoiseField
    share: Callable[[Extent, tuple[int, int]], np.ndarray]

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients after the step."""
        return self.after.spectrum

    @property
    def correlation(self) -> np.ndarray:
        """Correlation of the planes, (5, 3), after the step."""
        return self.after.correlation

    def sigma(self, tone, extent, *, level=0):
        """Return the weighted mean of both deviations: the noise before and after is fully correlated."""
        share = self.share(extent, tone.shape)
        return (1 - share) * self.before.sigma(tone, extent, level=level) + share * self.after.sigma(
            tone, extent, level=level
        )
