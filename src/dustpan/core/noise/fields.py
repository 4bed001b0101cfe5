"""Noise by tone and region of the picture. Local tone, haze and masks make it depend on both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dustpan.core.noise.model import EVEN_PLACES, NoiseModel, channel_deviations
from dustpan.core.picture.region import Extent

_PLACES = 2**20  # places across a picture that are told apart


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

    def channel_sigma(self, tone: np.ndarray, extent: Extent, *, level: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations of red, green and blue for an (h, w) plane of tones spread over `extent`."""
        return channel_deviations(self.sigma(tone, extent, level=level), self.correlation[level])


@dataclass(frozen=True, eq=False)
class ModelField(NoiseField):
    """Noise as one model describes it: by tone, and by place where that has a course over the picture."""

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
        """Return (3, h, w) deviations."""
        by_tone = self.model.at(tone, level=level)
        if self.model.over_place == EVEN_PLACES:
            return by_tone
        return by_tone * course_over(self.model.over_place, extent, tone.shape)


def course_over(over_place: tuple[float, float, float], extent: Extent, shape: tuple[int, int]) -> np.ndarray:
    """Return (h, w) factors of deviations at points spread over an extent; past the picture those of its border."""
    middle, across, down = over_place
    x, y = _squares(extent[0], extent[2], shape[1]), _squares(extent[1], extent[3], shape[0])
    return (middle + across * x[None] + down * y[:, None]).astype(np.float32)


def _squares(start: float, end: float, count: int) -> np.ndarray:
    """Return squares of places, -1 to 1 over the picture. Rounded, so that all tiles that hold a point agree on it."""
    at = np.round((start + (np.arange(count) + 0.5) * ((end - start) / count)) * _PLACES)
    return np.clip(2 * at / _PLACES - 1, -1, 1) ** 2


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
