"""Grain: a fine even texture that hides the last traces of noise and of cleaning."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of, with_grey
from dustpan.core.filters.grain import draw_grain, strength_over_tone
from dustpan.core.noise.model import DISPLAY
from dustpan.core.steps.context import Context
from dustpan.core.steps.step_kind import StepKind

_STRONGEST = 16 / DISPLAY  # deviation in the middle tones at 100 %
_LEAST_SIZE = 0.5  # px


@dataclass(frozen=True)
class GrainParams(Params):
    """Settings of the grain step."""

    amount: float = param("Amount", 15.0, "How strong the grain is.", unit="%", low=0.0, high=100.0, step=1.0)
    size: float = param("Size", 1.0, "How wide a grain is.", unit="px", low=0.5, high=4.0, step=0.1)
    colour: float = param(
        "Colour", 0.0, "0 is grey, 1 has grain of its own in each channel.", low=0.0, high=1.0, step=0.05
    )
    seed: int = param("Seed", 0, "Another number, another grain.", low=0, high=9999, step=1)


class Grain(StepKind):
    """Add fine grain, strongest in the middle tones; the same seed gives the same grain."""

    kind = "grain"
    stage = "Surface"
    order = 10
    label = "Grain"
    help = "Adds a fine even grain that hides the last traces of noise; weak in black and white."
    params_type = GrainParams
    keeps_noise = True  # what is added on purpose is no noise to be taken away

    def analyse(self, params, survey):
        """Return whether the picture is grey: then its grain is too."""
        return survey.source.grey

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its grain; looks at single pixels."""
        strength = np.float32(_STRONGEST * params.amount / 100) * strength_over_tone(tone_of(tile))
        own = draw_grain(region, size=params.size, seed=params.seed)
        if params.colour <= 0 or analysis:
            return with_grey(tile, strength * own)
        channels = [draw_grain(region, size=params.size, seed=params.seed, channel=n + 1) for n in range(3)]
        share = np.float32(params.colour)
        mixed = np.stack([np.sqrt(1 - share**2) * own + share * plane for plane in channels], axis=-1)
        return (tile + strength[..., None] * mixed).astype(np.float32)

    def scaled(self, params, level):
        """Shrink the grains; those smaller than half a pixel are as strong as what is left of them in the mean."""
        size = params.size / 2**level
        weaker = min(size / _LEAST_SIZE, 1.0)
        return replace(params, size=max(size, _LEAST_SIZE), amount=params.amount * weaker)

    def idle(self, params):
        """Return whether nothing is added."""
        return params.amount <= 0

    def ease(self, params, harm, noise):
        """Lay less over where it is louder than the noise that was there, and in the end none."""
        if harm != "noise_louder":
            return None
        return params if params.amount < 3 else replace(params, amount=round(0.7 * params.amount))

    def tell(self, params, analysis, found=None):
        """Return how strong it is in the middle tones."""
        return f"{_STRONGEST * DISPLAY * params.amount / 100:.1f} levels"


KIND = Grain()
