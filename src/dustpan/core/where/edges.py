"""Edges: outlines and lines, noise left out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.edges import EDGE_SUPPORT, edge_steps, widened, widened_support
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.noise import sigma_of_tone
from dustpan.core.where.part_kind import PartKind


@dataclass(frozen=True)
class EdgesParams(Params):
    """Settings of edges."""

    threshold: float = param(
        "Threshold",
        6.0,
        "How strong an edge must be, in units of the noise; lower takes in fainter ones.",
        unit="sigma",
        low=1.0,
        high=40.0,
        step=0.5,
    )
    width: float = param("Width", 4.0, "How wide a band along each edge is.", unit="px", low=1.0, high=24.0, step=1.0)
    softness: float = param("Softness", 0.3, "How softly the band ends.", low=0.0, high=1.0, step=0.05)


class Edges(PartKind):
    """Cover bands along edges."""

    kind = "edges"
    order = 10
    label = "Edges"
    help = "Outlines and lines; noise is no edge."
    params_type = EdgesParams

    def analyse(self, params, survey):
        """Return the noise."""
        return survey.base_noise

    def support(self, params, analysis, level=0):
        """Return 10 to 52 px: the edge itself, its width and its softness."""
        return EDGE_SUPPORT + widened_support(params.width / 2**level, params.softness)

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 within half the width of a strong edge."""
        tone = tone_of(tile)
        strength = edge_steps(tone) / sigma_of_tone(analysis, tone, context.level)
        strong = smooth_step(strength, 0.75 * params.threshold, 1.25 * params.threshold).astype(np.float32)
        return widened(strong, params.width / 2**context.level, params.softness)


KIND = Edges()
