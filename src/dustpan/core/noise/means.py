"""Correct the mean of cleaned pixels.

Cleaning averages display values. The mean of these is off where the noise was added to light, or was clipped.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dustpan.core.filters import cut_off, light_mean
from dustpan.core.noise.fields import ModelField, NoiseField
from dustpan.core.noise.law import AddedNoise, added_noise, light_sureness
from dustpan.core.noise.model import TONES, NoiseModel
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import CENTRE

SUPPORT = max(cut_off.SUPPORT, light_mean.SUPPORT)  # px that the result looks around


@dataclass(frozen=True, eq=False)
class Means:
    """Why the mean of a picture's noise is not zero.

    Attributes
    ----------
    added : noise that was added to display values and cut off by black and white, or None.
    channels : (3,) factors of red, green and blue noise.
    in_light : 0 to 1, confidence that the noise was added to light.
    """

    added: AddedNoise | None = None
    channels: tuple[float, float, float] = (1.0, 1.0, 1.0)
    in_light: float = 0.0

    @classmethod
    def of(cls, survey: Survey, channels: tuple[float, float, float]) -> Means:
        """Return the causes at a step's input."""
        added = _added_noise(survey)
        sure = added.sure if added else 0.0
        return cls(added, channels, (1 - sure) * light_sureness(survey.base_noise))

    def uncut(self, model: NoiseModel) -> NoiseModel:
        """Return a model of the noise as it was before it was cut off."""
        return self.added.uncut(model) if self.added else model

    def restored(
        self,
        noisy: np.ndarray,
        cleaned: np.ndarray,
        *,
        sigma: Callable[[], np.ndarray],
        louder: np.ndarray,
        strengths: tuple[float, float],
    ) -> np.ndarray:
        """Return cleaned pixels with their means corrected.

        Parameters
        ----------
        noisy, cleaned : h x w x 3 float32 working pixels.
        sigma : gives (3, h, w) deviations of the opponent planes' noise; asked where they are needed.
        louder : (3,) ratios of the deviations at full size to those of these pixels: see `louder_at_full_size`.
        strengths : parts of luminance and of colour noise that were taken away, 0 to 1.
        """
        if self.in_light > 0:
            power = (sigma() ** 2).sum(axis=0)
            cleaned = light_mean.restore_light_mean(
                noisy, cleaned, power, strengths=strengths, louder=louder, part=self.in_light
            )
        if self.added is None:
            return cleaned
        deviations = self.added.channels * np.array(self.channels, np.float32) * np.float32(self.added.sure)
        return cut_off.restore_cut_off(cleaned, deviations, strengths)


def _added_noise(survey: Survey) -> AddedNoise | None:
    """Return the noise that was added to the picture's display values, or None where it was not."""
    field, base = survey.noise, survey.base_noise
    if not isinstance(field, ModelField) or not np.array_equal(field.model.sigma, base.sigma):
        return None  # a step has moved the tones: noise was cut off elsewhere
    added = added_noise(base)
    return added if added.sure > 0 else None


def louder_at_full_size(field: NoiseField, level: int) -> np.ndarray:
    """Return (3,) ratios of the opponent planes' deviations at full size to those of a pyramid level."""
    full, reduced = (field.sigma(TONES[None, 1:-1], CENTRE, level=at).mean(axis=(1, 2)) for at in (0, level))
    return full / np.maximum(reduced, np.float32(1e-6))
