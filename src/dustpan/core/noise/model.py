"""What is known about a picture's noise: how strong at each tone, how coarse, and where."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from dustpan.core.filters.colour import OPPONENT

Place = tuple[float, float, float, float]  # x0, y0, x1, y1 in parts of the picture's width and height
TONES = np.linspace(0.0, 1.0, 17, dtype=np.float32)
LEVELS = 5  # scales of 1, 2, 4, 8 and 16 px
_STEPS = 2049  # of the look-up table over tone
_EVEN = np.full(len(TONES), 1 / len(TONES), np.float32)
DISPLAY = 255.0  # display levels per unit of working tone


@dataclass(frozen=True, eq=False)
class NoiseModel:
    """Noise of a picture in opponent planes, at five scales.

    Attributes
    ----------
    sigma : (5, 3, 17) float32, deviation in working units at each scale, plane and tone of `TONES`.
    spectrum : (5, 3, 8, 8) float32, deviation of each block coefficient relative to `sigma` (mean square 1).
    presence : (17,) share of the picture at each tone, by which its one figure is averaged.
    flat_share : share of the looked-at blocks that were flat enough to trust, 0 to 1.
    """

    sigma: np.ndarray
    spectrum: np.ndarray
    presence: np.ndarray = field(default_factory=lambda: _EVEN)
    flat_share: float = 1.0

    @property
    def luminance(self) -> float:
        """Deviation of luminance noise in display levels, averaged over the picture's tones."""
        return float(np.sqrt(self.sigma[0, 0] ** 2 @ self.presence) * DISPLAY)

    @property
    def colour(self) -> float:
        """Deviation of colour noise in display levels (mean of both colour planes), averaged over its tones."""
        return float(np.sqrt((self.sigma[0, 1:] ** 2 @ self.presence).mean()) * DISPLAY)

    def at(self, tone: np.ndarray, *, level: int = 0) -> np.ndarray:
        """Return (3, ...) deviations at tones of any shape, for the picture reduced by 2 ** level."""
        measured = min(level, LEVELS - 1)
        fade = np.float32(0.5 ** (level - measured))
        index = (np.clip(tone, 0, 1) * (_STEPS - 1) + 0.5).astype(np.intp)
        return np.take(self._table[measured], index, axis=1) * fade

    @cached_property
    def _table(self) -> np.ndarray:
        """Deviations at finely spaced tones: looking up is much quicker than interpolating at every patch."""
        fine = np.linspace(0, 1, _STEPS)
        planes = [[np.interp(fine, TONES, plane) for plane in level] for level in self.sigma]
        return np.asarray(planes, np.float32)

    def scaled(self, *, luminance, colour, channels=(1.0, 1.0, 1.0)) -> NoiseModel:
        """Multiply by factors over tone (17 each) and by factors of red, green and blue noise."""
        share = np.sqrt((OPPONENT**2) @ (np.asarray(channels, np.float32) ** 2))
        factors = np.stack([luminance, colour, colour]) * share[:, None]
        return replace(self, sigma=(self.sigma * factors[None]).astype(np.float32))

    def to_json(self) -> dict:
        """Return plain lists, for a remedy's `made_on`."""
        return {"sigma": np.round(self.sigma, 6).tolist(), "spectrum": np.round(self.spectrum, 4).tolist()}

    @classmethod
    def from_json(cls, data: dict) -> NoiseModel:
        """Rebuild a model from `to_json`; raises ValueError when it is not one."""
        try:
            sigma, spectrum = (np.asarray(data[key], np.float64).astype(np.float32) for key in ("sigma", "spectrum"))
        except (TypeError, OverflowError, KeyError) as fault:
            raise ValueError(f"the noise model is not made of numbers ({fault})") from None
        if sigma.shape != (LEVELS, 3, len(TONES)) or spectrum.shape != (LEVELS, 3, 8, 8):
            raise ValueError("the noise model does not have 5 scales, 3 planes, 17 tones and 8 x 8 coefficients")
        if not (np.isfinite(sigma).all() and np.isfinite(spectrum).all() and sigma.min() >= 0 and spectrum.min() >= 0):
            raise ValueError("the noise model holds values below 0 or values that are no numbers")
        if sigma.max() > 1:
            raise ValueError("the noise model holds deviations over 1, the whole range of tones")
        return cls(sigma, spectrum)

    @classmethod
    def none(cls) -> NoiseModel:
        """Return the model of a picture without noise."""
        return cls(np.zeros((LEVELS, 3, len(TONES)), np.float32), np.ones((LEVELS, 3, 8, 8), np.float32))


class NoiseField:
    """Noise by tone *and* place, as a step finds it at its input."""

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the block coefficients, (5, 3, 8, 8)."""
        raise NotImplementedError

    def sigma(self, tone: np.ndarray, place: Place, *, level: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations for an (h, w) plane of tones covering `place`."""
        raise NotImplementedError


@dataclass(frozen=True, eq=False)
class EvenField(NoiseField):
    """Noise that depends on tone alone."""

    model: NoiseModel

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients, (5, 3, 8, 8)."""
        return self.model.spectrum

    def sigma(self, tone, place, *, level=0):
        """Return (3, h, w) deviations; the place plays no part."""
        return self.model.at(tone, level=level)


@dataclass(frozen=True, eq=False)
class LiftedField(NoiseField):
    """Noise after a step that lifts each place by its own number of stops.

    fields : the noise for each of `lifts` (stops, rising), were it the same everywhere
    lift : function of (place, shape) giving the stops at those places
    """

    lifts: np.ndarray
    fields: tuple[NoiseField, ...]
    lift: Callable[[Place, tuple[int, int]], np.ndarray]

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients, taken at the middle lift."""
        return self.fields[len(self.fields) // 2].spectrum

    def sigma(self, tone, place, *, level=0):
        """Return (3, h, w) deviations by linear interpolation between the fields of two lifts."""
        position = np.interp(self.lift(place, tone.shape), self.lifts, np.arange(len(self.lifts)))
        total = np.zeros((3, *tone.shape), np.float32)
        for index, lifted in enumerate(self.fields):
            weight = np.clip(1 - np.abs(position - index), 0, 1).astype(np.float32)
            if weight.any():
                total += weight * lifted.sigma(tone, place, level=level)
        return total


@dataclass(frozen=True, eq=False)
class MixedField(NoiseField):
    """Noise after a step that is laid over its input by a plane of shares (Mix times Where)."""

    before: NoiseField
    after: NoiseField
    share: Callable[[Place, tuple[int, int]], np.ndarray]

    @property
    def spectrum(self) -> np.ndarray:
        """Relative deviations of the coefficients after the step."""
        return self.after.spectrum

    def sigma(self, tone, place, *, level=0):
        """Return the mix of both: noise of a layer and of what lies under it move together."""
        share = self.share(place, tone.shape)
        return (1 - share) * self.before.sigma(tone, place, level=level) + share * self.after.sigma(
            tone, place, level=level
        )
