"""Local contrast: parts of the picture set off from what lies around them, without halos at strong edges."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of, with_grey
from dustpan.core.filters.planes import guided_base, shrink_to
from dustpan.core.filters.tone import smooth_step
from dustpan.core.steps.context import Context
from dustpan.core.steps.easing import eased_strength
from dustpan.core.steps.step_kind import Inside, StepKind

_DIRECT = 48  # px, radius up to which the base layer is made of a tile itself, and beyond which of small planes
_PLANE_RADIUS = 6  # px of the planes that the radius is: they are made as large as that takes
_SOFTNESS = 0.11  # step of tone still taken for texture; stronger ones stay in the base layer, and so have no halo
_FINE, _FINE_REACH = 1.6, 5  # px, deviation and reach of the blur that keeps noise out of what is raised
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
    keeps_noise = True  # what is raised is coarser than noise
    inside: ClassVar = {"raised": Inside("What is raised", "radius")}

    def support(self, params, analysis):
        """Return up to 104 px: the blur that keeps noise out, and two windows where no planes hold the base layer."""
        return _FINE_REACH + (2 * _pixels(params) if analysis is None else 0)

    def analyse(self, params, survey):
        """Return the base layer's planes, or None where a tile holds all that it takes."""
        if params.radius <= _DIRECT:
            return None
        side = round(max(survey.size) * _PLANE_RADIUS / params.radius)
        tone = shrink_to(np.clip(tone_of(survey.overview), 0, 1), side)
        return Layer(*guided_base(tone, radius=_PLANE_RADIUS, softness=_SOFTNESS))

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its local contrast changed; looks `support` px around."""
        return with_grey(tile, self._raised(tile, region, params, analysis, context))

    def _raised(self, tile, region, params, analysis, context: Context) -> np.ndarray:
        tone = tone_of(tile)
        side = 2 * _FINE_REACH + 1
        calm = cv2.GaussianBlur(tone, (side, side), _FINE, borderType=cv2.BORDER_REFLECT)
        within = np.clip(calm, 0, 1)
        if analysis is None:
            slope, offset = guided_base(within, radius=_pixels(params), softness=_SOFTNESS)
        else:
            slope, offset = (context.sample(plane, region, tone.shape) for plane in (analysis.slope, analysis.offset))
        base = slope * within + offset
        detail = (calm - base) * np.clip(1 - slope, 0, 1)  # beside a strong edge the base layer follows it: no halo
        held = detail / (1 + np.abs(detail) / np.float32(_GENTLE))
        dark, light = 1 - smooth_step(base, 0.0, 0.55), smooth_step(base, 0.45, 1.0)
        part = 1 + (params.shadows - 1) * dark + (params.highlights - 1) * light
        room = np.clip(4 * np.minimum(tone, 1 - tone) + 0.15, 0, 1)  # towards black and white there is little left
        return (np.float32(params.amount) * part * held * room).astype(np.float32)

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return what is raised, four times as strong, on mid grey."""
        return with_grey(np.full_like(tile, 0.5), self._raised(tile, region, params, analysis, context), 4.0)

    def scaled(self, params, level):
        """Shrink the radius where tiles hold the base layer: planes cover the whole picture, whatever its size."""
        return params if params.radius > _DIRECT else replace(params, radius=params.radius / 2**level)

    def idle(self, params):
        """Return whether nothing is changed."""
        return params.amount == 0

    def ease(self, params, harm, noise):
        """Raise less, and in the end nothing."""
        return eased_strength(params, "amount", harm, least=0.1)

    def tell(self, params, analysis, found=None):
        """Return how much and at what size."""
        return f"{100 * params.amount:+.0f} % at {params.radius:.0f} px"


def _pixels(params: LocalContrastParams) -> int:
    """Return the radius in whole pixels."""
    return max(round(params.radius), 1)


KIND = LocalContrast()
