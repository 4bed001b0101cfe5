"""Deblur: take the blur of lens, focus or motion back."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of, with_grey, with_grey_within
from dustpan.core.filters.deconvolve import SHAPES, deconvolve, noise_kept, support_of
from dustpan.core.picture.curve import decode_curve, encode_curve, encode_slope
from dustpan.core.steps.context import Context
from dustpan.core.steps.drafts import with_reduced_radius
from dustpan.core.steps.easing import eased_strength
from dustpan.core.steps.softness import blur_of
from dustpan.core.steps.step_kind import Inside, StepKind

_TONE_OF_LUMINANCE = np.float32(3**-0.5)  # the mean of three channels is luminance divided by the root of three
_LEAST_RADIUS = 0.3  # px
_LEAST_SIGMA = np.float32(0.4 / 255)  # what rounding to 8 bits makes


@dataclass(frozen=True)
class DeblurParams(Params):
    """Settings of the deblur step."""

    shape: str = param("Shape", "gaussian", "Of the blur: of a lens, out of focus, or moved.", choices=SHAPES)
    radius: float = param(
        "Radius",
        1.2,
        "Of the blur: its deviation, the disc's radius, half the way moved.",
        unit="px",
        low=0.3,
        high=8.0,
        step=0.1,
    )
    angle: float = param(
        "Angle", 0.0, "Of the motion, counterclockwise from level.", unit="deg", low=0.0, high=180.0, step=1.0
    )
    iterations: int = param("Iterations", 15, "More take more of the blur back, and more time.", low=1, high=60, step=1)
    damping: float = param("Damping", 0.5, "Higher leaves alone what may be noise.", low=0.0, high=1.0, step=0.05)
    strength: float = param("Strength", 1.0, "How much of the result is taken.", low=0.0, high=1.0, step=0.05)


class Deblur(StepKind):
    """Take a known blur of luminance back, in linear light."""

    kind = "deblur"
    stage = "Crisp"
    order = 30
    label = "Deblur"
    help = "Takes the blur of a lens, of focus or of a motion back, without rings at edges; noise is left alone."
    params_type = DeblurParams
    default_blend = "luminance_only"
    judged_by = "strength"
    max_support = 256
    spares: ClassVar = {"noise_louder": ("flat", {}), "worms": ("flat", {})}
    inside: ClassVar = {"gained": Inside("What is gained", "radius")}

    def support(self, params, analysis):
        """Return 19 to 253 px: every turn looks around, the farther the less."""
        return support_of(params.shape, params.radius)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its luminance deblurred; looks `support` px around."""
        return with_grey_within(tile, self._gained(tile, region, params, context), params.strength)

    def _gained(self, tile, region, params, context: Context) -> np.ndarray:
        """Return (h, w) what is added to the tone."""
        tone = np.clip(tone_of(tile), 0, 1)
        blur = {"shape": params.shape, "radius": params.radius, "angle": params.angle}
        kept = noise_kept(**blur)  # reducing by as much would leave the same, which is known of noise of every grain
        sigma = context.sigma_at(tone, region, scale=-np.log2(kept))[0] * _TONE_OF_LUMINANCE
        sigma = np.maximum(sigma, _LEAST_SIGMA * np.float32(kept))
        found = deconvolve(
            decode_curve(tone),
            sigma / encode_slope(tone),
            **blur,
            iterations=params.iterations,
            damping=params.damping,
            check=context.check,
        )
        return encode_curve(found) - tone

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return what is gained, four times as strong, on mid grey."""
        return with_grey(np.full_like(tile, 0.5), self._gained(tile, region, params, context), 4.0)

    def scaled(self, params, level):
        """Shrink the blur; leave the step out when hardly any is left."""
        return with_reduced_radius(params, level, least=_LEAST_RADIUS)

    def idle(self, params):
        """Return whether nothing is taken."""
        return params.strength <= 0

    def measured(self, survey):
        """Return the blur that the picture's own sharpest edges have."""
        blur = blur_of(survey)
        if blur is None:
            return DeblurParams()
        radius = round(float(np.clip(blur.radius, *DeblurParams.described()["radius"].range)), 1)
        return DeblurParams(shape=blur.shape, radius=radius, angle=float(round(blur.angle) % 180))

    def propose(self, survey):
        """Propose nothing: whether softness is a fault is for the eye to say."""
        return None

    def ease(self, params, harm, noise):
        """Leave more noise alone, then take less of the result, and in the end none."""
        if harm in ("noise_louder", "worms") and params.damping < 1:
            return replace(params, damping=round(min(params.damping + 0.2, 1.0), 2))
        return eased_strength(params, "strength", harm, least=0.2)

    def tell(self, params, analysis, found=None):
        """Return the blur."""
        return f"{params.shape}, {params.radius:.1f} px"


KIND = Deblur()
