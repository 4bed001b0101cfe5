"""Colour: a range of hues."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.hue import hue_and_chroma
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.part_kind import PartKind

_FADE = 0.3  # of half the width, over which a range of hues fades, on both sides of its rim
_FULL = 0.25  # chroma of a fully saturated colour, about


@dataclass(frozen=True)
class ColourParams(Params):
    """Settings of a range of hues."""

    hue: float = param(
        "Hue",
        30.0,
        "Middle of the range, as the eye sees it: 30 red, 110 yellow, 145 green, 265 blue.",
        unit="deg",
        low=0.0,
        high=360.0,
        step=2.0,
    )
    width: float = param("Width", 60.0, "Range of hues that is covered.", unit="deg", low=5.0, high=360.0, step=5.0)
    min_saturation: float = param(
        "Least saturation", 0.15, "Colours as pale as this are left out.", low=0.0, high=1.0, step=0.01
    )


class Colour(PartKind):
    """Cover a range of hues."""

    kind = "colour"
    order = 50
    label = "Colour"
    help = "Places of one colour: a range of hues."
    params_type = ColourParams

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 within the range, fading at its rims and towards grey."""
        hue, chroma = hue_and_chroma(tile)
        half = params.width / 2
        away = np.abs((hue - params.hue + 180) % 360 - 180)
        near = 1 - smooth_step(away, half * (1 - _FADE), half * (1 + _FADE)) if half < 180 else np.ones_like(away)
        least = params.min_saturation * _FULL
        return (near * smooth_step(chroma, 0.75 * least, 1.25 * least + 1e-4)).astype(np.float32)

    def pick(self, colour, params):
        """Return the hue of a patch, and a saturation well below its own."""
        hue, chroma = hue_and_chroma(colour[None].astype(np.float32))
        angle = np.radians(hue[0])
        middle = np.degrees(np.arctan2((chroma[0] * np.sin(angle)).sum(), (chroma[0] * np.cos(angle)).sum())) % 360
        return replace(
            params, hue=round(float(middle), 1), min_saturation=round(float(min(np.median(chroma) / _FULL / 2, 1)), 2)
        )


KIND = Colour()
