"""Flat places: skies, walls, all that is smooth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.edges import UNREST_SUPPORT, unrest
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.noise import sigma_of_tone
from dustpan.core.where.part_kind import PartKind


@dataclass(frozen=True)
class FlatParams(Params):
    """Settings of flat places."""

    threshold: float = param(
        "Threshold",
        1.0,
        "How much texture still passes for flat, in units of the noise.",
        unit="sigma",
        low=0.1,
        high=20.0,
        step=0.1,
    )
    softness: float = param("Softness", 0.5, "How gradually flat turns into textured.", low=0.0, high=1.0, step=0.05)


class Flat(PartKind):
    """Cover what has neither edges nor texture."""

    kind = "flat"
    order = 30
    label = "Flats"
    help = "Smooth places without texture: skies, walls, blurred backgrounds."
    params_type = FlatParams

    def analyse(self, params, survey):
        """Return the noise."""
        return survey.base_noise

    def support(self, params, analysis, level=0):
        """Return 21 px."""
        return UNREST_SUPPORT + 1

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 where the middle frequencies lie under the threshold."""
        tone = tone_of(tile)
        strength = unrest(tone) / sigma_of_tone(analysis, tone, context.level)
        low, high = params.threshold * (1 - 0.6 * params.softness), params.threshold * (1 + params.softness) + 0.02
        return (1 - smooth_step(strength, low, high)).astype(np.float32)


KIND = Flat()
