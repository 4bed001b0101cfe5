"""Stars: points of light in the dark."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.edges import widened, widened_support
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.noise import sigma_of_tone
from dustpan.core.where.part_kind import PartKind

_LARGEST = 6  # px, radius of the largest star
_SOFT = 0.4


@dataclass(frozen=True)
class StarsParams(Params):
    """Settings of stars."""

    sensitivity: float = param(
        "Stands out by",
        5.0,
        "How far a star stands over the sky, in units of the noise; lower takes in fainter ones.",
        unit="sigma",
        low=1.0,
        high=40.0,
        step=0.5,
    )
    grow: float = param(
        "Grow", 2.0, "How far the cover reaches beyond each star.", unit="px", low=0.0, high=12.0, step=0.5
    )


class Stars(PartKind):
    """Cover points of light."""

    kind = "stars"
    order = 60
    label = "Stars"
    help = "Points of light in the dark, and what is around them."
    params_type = StarsParams

    def analyse(self, params, survey):
        """Return the noise."""
        return survey.base_noise

    def support(self, params, analysis, level=0):
        """Return 17 to 36 px: the largest star twice, and the growth."""
        return 2 * _LARGEST + 3 + widened_support(_width(params, level), _SOFT)

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 on what stands over its opening by a disc of 6 px."""
        tone = tone_of(tile)
        radius = max(_LARGEST >> context.level, 1)
        y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
        disc = (y * y + x * x <= (radius + 0.3) ** 2).astype(np.uint8)
        over = tone - cv2.morphologyEx(tone, cv2.MORPH_OPEN, disc, borderType=cv2.BORDER_REFLECT)
        strength = over / sigma_of_tone(analysis, tone, context.level)
        points = smooth_step(strength, 0.8 * params.sensitivity, 1.2 * params.sensitivity).astype(np.float32)
        return widened(points, _width(params, context.level), _SOFT)


def _width(params: StarsParams, level: int) -> float:
    return 2 * params.grow / 2**level


KIND = Stars()
