"""High-pass: a cleaned detail picture laid over the picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.high_pass import OVERLAYS, blur_reach, finer_than, lay_detail, steepened
from dustpan.core.filters.quick import Cleaning, clean_tile, support
from dustpan.core.picture.region import moved
from dustpan.core.steps.context import Context
from dustpan.core.steps.drafts import with_reduced_radius
from dustpan.core.steps.easing import eased_strength
from dustpan.core.steps.softness import blur_of
from dustpan.core.steps.step_kind import Inside, StepKind

_SCALES = 2
_LEAST_SPECTRUM = np.float32(0.5)  # of the mean, that each coefficient is taken to hold
_TWICE = 2.0  # times the noise of the model, taken for noise at 100 %
_LEAST_RADIUS = 0.4  # px
_WIDER = 1.25  # than the 10-90 % rise of the picture's edges, the radius that takes them in
_STEEPEST = 7.5  # px, largest radius at which the detail picture is sharpened, so that it looks at most 104 px around


@dataclass(frozen=True)
class HighPassParams(Params):
    """Settings of the high-pass step."""

    radius: float = param(
        "Radius", 3.2, "Size of the detail that is laid over.", unit="px", low=0.5, high=20.0, step=0.1
    )
    strength: float = param("Strength", 50.0, "How strong the detail is.", unit="%", low=0.0, high=200.0, step=5.0)
    law: str = param("Law", "gentle", "How it is laid over: gently, firmly, or in full.", choices=tuple(OVERLAYS))
    clean: float = param(
        "Clean",
        60.0,
        "How much noise the detail picture is freed from; 100 % takes twice what was measured.",
        unit="%",
        low=0.0,
        high=100.0,
        step=5.0,
    )
    steepen: float = param(
        "Steepen", 0.0, "Sharpens the cleaned detail picture before it is laid over.", low=0.0, high=1.0, step=0.05
    )
    neutral: bool = param("Neutral", True, "The detail picture has no colour, so that no edge takes any.")


class HighPass(StepKind):
    """Lay a detail picture over, free of noise."""

    kind = "high_pass"
    stage = "Crisp"
    order = 20
    label = "High-pass"
    help = "Lays the picture's own detail over it, freed of noise; good for what is coarser than sharpening reaches."
    params_type = HighPassParams
    judged_by = "strength"
    spares: ClassVar = {"noise_louder": ("flat", {}), "worms": ("flat", {})}
    inside: ClassVar = {"detail": Inside("Detail picture", "radius")}

    def support(self, params, analysis):
        """Return 2 to 104 px: cleaning, the radius, and once more to steepen."""
        steeper = blur_reach(min(params.radius, _STEEPEST)) if params.steepen > 0 else 0
        return support(_SCALES) * (params.clean > 0) + blur_reach(params.radius) + steeper

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its detail laid over; looks `support` px around."""
        detail = self._detail(tile, region, params, context)
        return lay_detail(tile, detail, law=params.law, strength=params.strength / 100)

    def _detail(self, tile, region, params, context: Context) -> np.ndarray:
        cleaned = _cleaned(tile, region, params, context) if params.clean > 0 else tile
        if params.neutral:
            cleaned = tone_of(cleaned)
        within = np.clip(cleaned, 0, 1)  # light far above white would cast its detail over all that lies around
        detail = finer_than(within, params.radius)
        if params.steepen > 0:
            detail = steepened(detail, min(params.radius, _STEEPEST), params.steepen)
        return np.repeat(detail[..., None], 3, axis=2) if params.neutral else detail

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return the detail picture on mid grey, as it is laid over."""
        detail = self._detail(tile, region, params, context)
        return np.clip(0.5 + detail * np.float32(max(params.strength, 25.0) / 100), 0, 1)

    def scaled(self, params, level):
        """Shrink the radius; leave the step out when nothing of it would show."""
        return with_reduced_radius(params, level, least=_LEAST_RADIUS)

    def idle(self, params):
        """Return whether nothing is laid over."""
        return params.strength <= 0

    def measured(self, survey):
        """Return a radius that takes in the picture's own edges."""
        blur = blur_of(survey)
        if blur is None:
            return HighPassParams()
        return HighPassParams(radius=round(min(max(_WIDER * blur.rise, 1.0), 10.0), 1))

    def propose(self, survey):
        """Propose nothing: sharpening is proposed, and both together are a matter of taste."""
        return None

    def ease(self, params, harm, noise):
        """Clean the detail further, then lay less of it over, and in the end none."""
        if harm in ("noise_louder", "worms") and params.clean < 100:
            return replace(params, clean=min(params.clean + 20, 100.0))
        return eased_strength(params, "strength", harm, least=10.0)

    def tell(self, params, analysis, found=None):
        """Return strength and radius."""
        return f"{params.strength:.0f} % at {params.radius:.1f} px"


def _cleaned(tile, region, params: HighPassParams, context: Context) -> np.ndarray:
    """Return the tile freed of up to twice the noise that is left at the step's input; of colours where they count."""
    clean = params.clean / 100
    cleaning = Cleaning(
        sigma=lambda tone, scale, part: (
            np.float32(_TWICE * clean) * context.sigma(tone, moved(part, region), scale=scale)
        ),
        spectrum=np.maximum([context.spectrum(scale) for scale in range(_SCALES)], _LEAST_SPECTRUM),
        strengths=(1.0, float(not params.neutral)),
        scales=_SCALES,
        check=context.check,
    )
    return clean_tile(tile, cleaning, ends=context.ends(region), left=region[0])


KIND = HighPass()
