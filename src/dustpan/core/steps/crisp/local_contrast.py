"""Local contrast: parts of the picture set off from what lies around them, without halos at strong edges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of, with_grey
from dustpan.core.filters.planes import guided_base, shrink_to
from dustpan.core.filters.tone import smooth_step
from dustpan.core.steps.base import Context, Inside, StepKind
from dustpan.core.steps.easing import eased_strength

_PLANE_SIDE = 500  # longest side of the planes that hold the base layer
_SOFTNESS = 0.11  # step of tone still taken for texture; stronger ones stay in the base layer, and so have no halo
_FINE = 1.6  # px, deviation of the blur that keeps noise out of what is raised
_SUPPORT = 8
_GENTLE = 0.12  # tone from which detail is raised less and less, so that nothing is driven to black or white


@dataclass(frozen=True)
class LocalContrastParams(Params):
    """Settings of the local contrast step."""

    amount: float = param(
        "Amount",
        0.4,
        "How much parts are set off from what lies around; below 0 evens out.",
        low=-1.0,
        high=2.0,
        step=0.05,
    )
    radius: float = param(
        "Radius", 30.0, "Size of the parts that are set off.", unit="px", low=4.0, high=200.0, step=1.0
    )
    shadows: float = param("Shadows", 1.0, "How much of it dark areas take.", low=0.0, high=2.0, step=0.05)
    highlights: float = param("Highlights", 1.0, "How much of it bright areas take.", low=0.0, high=2.0, step=0.05)


@dataclass(frozen=True, eq=False)
class Layer:
    """Planes of the base layer: base = slope * tone + offset."""

    slope: np.ndarray
    offset: np.ndarray


class LocalContrast(StepKind):
    """Raise what stands out of a base layer that keeps edges, coarser than noise."""

    kind = "local_contrast"
    stage = "Crisp"
    order = 40
    label = "Local contrast"
    help = "Sets parts off from what lies around them; strong edges grow no halo, flats no noise."
    params_type = LocalContrastParams
    default_blend = "luminance_only"
    judged_by = "amount"
    inside: ClassVar = {"raised": Inside("What is raised", "radius")}

    def support(self, params, analysis):
        """Return 8 px: the blur that keeps noise out."""
        return _SUPPORT

    def analyse(self, params, survey):
        """Return the base layer's planes."""
        longest = max(survey.size)
        side = min(_PLANE_SIDE, max(64, round(6 * longest / params.radius)))
        tone = shrink_to(np.clip(tone_of(survey.overview), 0, 1), side)
        radius = max(round(params.radius * max(tone.shape) / longest), 1)
        return Layer(*guided_base(tone, radius=radius, softness=_SOFTNESS))

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its local contrast changed; looks 8 px around."""
        return with_grey(tile, self._raised(tile, region, params, analysis, context))

    def _raised(self, tile, region, params, analysis, context: Context) -> np.ndarray:
        tone = tone_of(tile)
        calm = cv2.GaussianBlur(tone, (11, 11), _FINE, borderType=cv2.BORDER_REFLECT)
        slope, offset = (context.sample(plane, region, tile.shape[:2]) for plane in (analysis.slope, analysis.offset))
        base = slope * np.clip(calm, 0, 1) + offset
        detail = (calm - base) * np.clip(1 - slope, 0, 1)  # beside a strong edge the base layer follows it: no halo
        held = detail / (1 + np.abs(detail) / np.float32(_GENTLE))
        dark, light = 1 - smooth_step(base, 0.0, 0.55), smooth_step(base, 0.45, 1.0)
        part = 1 + (params.shadows - 1) * dark + (params.highlights - 1) * light
        room = np.clip(4 * np.minimum(tone, 1 - tone) + 0.15, 0, 1)  # towards black and white there is little left
        return (np.float32(params.amount) * part * held * room).astype(np.float32)

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return what is raised, four times as strong, on mid grey."""
        if analysis is None:
            return np.full_like(tile, 0.5)
        return with_grey(np.full_like(tile, 0.5), self._raised(tile, region, params, analysis, context), 4.0)

    def scaled(self, params, level):
        """Keep the settings: the planes cover the whole picture, whatever its size."""
        return params

    def idle(self, params):
        """Return whether nothing is changed."""
        return params.amount == 0

    def carry(self, params, analysis, noise, lay=None):
        """Return the noise as it was: what is raised is coarser than noise."""
        return noise

    def ease(self, params, harm, noise):
        """Raise less, and in the end nothing."""
        return eased_strength(params, "amount", harm, least=0.1)

    def tell(self, params, analysis, found=None):
        """Return how much and at what size."""
        return f"{100 * params.amount:+.0f} % at {params.radius:.0f} px"


KIND = LocalContrast()
