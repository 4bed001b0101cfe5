"""Linear light of a night as it is looked at: the sky dark, and stars clear of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

_SKY = 0.24  # tone that the median is shown at
_ENDS = (0.02, 0.998)  # quantiles that become black and white
_FLAT = (0.25, 0.8)  # exponent of the curve, at least and at most


@dataclass(frozen=True, eq=False)
class Showing:
    """How light becomes tones: the same for pictures that are looked at side by side.

    Attributes
    ----------
    low : (channels,) light that is shown black.
    span : from there to white.
    power : of the curve.
    """

    low: np.ndarray
    span: float
    power: float

    @classmethod
    def of(cls, light: np.ndarray) -> Showing:
        """Return how a picture, h x w x channels, is shown."""
        low = np.quantile(light, _ENDS[0], axis=(0, 1))
        span = max(float(np.quantile(light - low, _ENDS[1])), 1e-6)
        middle = float(np.clip(np.median(light - low) / span, 1e-4, 0.9))
        return cls(low, span, float(np.clip(np.log(_SKY) / np.log(middle), *_FLAT)))

    def shown(self, light: np.ndarray) -> np.ndarray:
        """Return h x w x 3 uint8."""
        part = np.clip((light - self.low) / self.span, 0, 1)
        tones = (part**self.power * 255 + 0.5).astype(np.uint8)
        return np.repeat(tones, 3, axis=2) if tones.shape[2] == 1 else tones
