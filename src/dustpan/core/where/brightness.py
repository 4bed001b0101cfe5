"""Brightness: a range of display tones."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.part_kind import PartKind

_AROUND = 0.04  # tones on both sides of a patch that are taken in with it


@dataclass(frozen=True)
class BrightnessParams(Params):
    """Settings of a range of tones."""

    low: float = param("From", 0.0, "Darkest tone that is covered.", low=0.0, high=1.0, step=0.01)
    high: float = param("To", 0.5, "Brightest tone that is covered.", low=0.0, high=1.0, step=0.01)
    softness: float = param("Softness", 0.2, "Over how many tones it fades at both ends.", low=0.0, high=1.0, step=0.02)
    power: float = param(
        "Power",
        1.0,
        "Above 1 spreads bright tones apart, so that the brightest are easy to leave out.",
        low=0.2,
        high=8.0,
        step=0.1,
    )


class Brightness(PartKind):
    """Cover a range of tones."""

    kind = "brightness"
    order = 40
    label = "Brightness"
    help = "Dark or bright places: a range of tones."
    params_type = BrightnessParams

    def told(self, params):
        """Return darks or brights for a range that goes to one end."""
        if params.low <= 0 and params.high < 1:
            return "darks"
        return "brights" if params.low > 0 and params.high >= 1 else super().told(params)

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 within the range, 0 past the fading on both sides; an end at 0 or 1 does not fade."""
        tone = np.clip(tone_of(tile), 0, 1) ** np.float32(params.power)
        half = max(params.softness, 0.004) / 2
        low, high = min(params.low, params.high), max(params.low, params.high)
        cover = np.ones_like(tone)
        if low > 0:
            cover *= smooth_step(tone, low - half, low + half)
        if high < 1:
            cover *= 1 - smooth_step(tone, high - half, high + half)
        return cover.astype(np.float32)

    def pick(self, colour, params):
        """Return the range of the tones of a patch."""
        tones = np.clip(colour.mean(axis=1), 0, 1) ** params.power
        low, high = np.quantile(tones, [0.05, 0.95])
        return replace(params, low=round(max(low - _AROUND, 0), 3), high=round(min(high + _AROUND, 1), 3))


KIND = Brightness()
