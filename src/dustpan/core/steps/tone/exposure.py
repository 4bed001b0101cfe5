"""Exposure and tone: light in stops, local shadows and highlights, end points, midtone, contrast, saturation."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.planes import guided_base, mean_where, sample_plane, shrink_to
from dustpan.core.filters.sectors import Sectors, lost_at_black, lost_at_white
from dustpan.core.filters.tone import bend_tone, expose, lift_stops, saturate
from dustpan.core.noise.carry import carry_field, carry_noise
from dustpan.core.noise.fields import LiftedField, NoiseField
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.curve import decode_curve
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding, percent
from dustpan.core.steps.step_kind import Inside, StepKind

_PLANE_SIDE = 400  # longest side of the planes that hold the base layer
_SOFTNESS = 0.12  # tone step under which the base layer smooths
_LIFTS = 4  # for which the noise is carried
_DARK = 0.30  # a picture whose brightest hundredth stays under this tone is taken for underexposed
_EMPTY = 0.004  # a picture that stays under this tone holds nothing to brighten
_AIM = 0.80  # tone that its brightest hundredth is brought to
_MOST_STOPS = 4.0  # proposed
_LOUDEST = 32.0  # display values of noise that a proposal may lift it to
_STOPS_OF_TONE = 2.4  # stops of light by which tones in the middle double: the exponent of the tone curve
_LOST = 0.002  # share of pixels at black or white from which it is a finding
_PARTLY = 0.02  # share of a sector from which it is pointed at
_MOST_POINTS = 12  # of a finding
_NOTEWORTHY = 0.25  # stops from which a dark picture is a finding


@dataclass(frozen=True)
class ExposureParams(Params):
    """Settings of the exposure step."""

    ev: float = param(
        "Exposure", 0.0, "Brightens or darkens the light itself.", unit="stops", low=-5.0, high=5.0, step=0.05
    )
    black: float = param("Black point", 0.0, "Higher makes the darks darker.", low=-0.2, high=0.2, step=0.005)
    white: float = param("White point", 0.0, "Higher makes the lights lighter.", low=-0.2, high=0.2, step=0.005)
    midtone: float = param(
        "Midtone", 0.0, "Higher brightens the middle and leaves both ends.", low=-1.0, high=1.0, step=0.02
    )
    contrast: float = param(
        "Contrast", 0.0, "Higher sets darks and lights further apart.", low=-1.0, high=1.0, step=0.02
    )
    shadows: float = param(
        "Shadows",
        0.0,
        "Higher lights up dark areas and keeps their texture; their noise rises too.",
        low=-1.0,
        high=1.0,
        step=0.02,
    )
    highlights: float = param(
        "Highlights", 0.0, "Lower brings bright areas down and keeps their texture.", low=-1.0, high=1.0, step=0.02
    )
    saturation: float = param(
        "Saturation", 0.0, "Higher makes colours stronger, -1 leaves grey.", low=-1.0, high=1.0, step=0.02
    )
    stretch: float = param(
        "Night stretch", 0.0, "Lifts the faintest light most, as for night skies.", low=0.0, high=1.0, step=0.02
    )


@dataclass(frozen=True, eq=False)
class BasePlanes:
    """Planes of the base layer: base = slope * tone + offset; and the base itself."""

    slope: np.ndarray
    offset: np.ndarray
    base: np.ndarray


class Exposure(StepKind):
    """Light and tone of the whole picture, darks and lights apart."""

    kind = "exposure"
    stage = "Tone"
    order = 20
    label = "Exposure"
    help = "Sets the light: stops, dark and bright areas apart, end points, contrast and colour strength."
    params_type = ExposureParams
    in_light = True
    ends: ClassVar = ("black", "midtone", "white")
    inside: ClassVar = {"lift": Inside("Lift of dark and bright areas", "shadows")}

    def analyse(self, params, survey):
        """Return the base layer's planes when dark or bright areas are to be lifted, else None."""
        if not (params.shadows or params.highlights):
            return None
        tone = np.clip(tone_of(survey.overview), 0, 1)
        tone = shrink_to(tone, _PLANE_SIDE)
        slope, offset = guided_base(tone, radius=max(2, max(tone.shape) // 40), softness=_SOFTNESS)
        return BasePlanes(slope, offset, (slope * tone + offset).astype(np.float32))

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile exposed and toned; looks at single pixels and the planes."""
        shown = self.enter(tile)
        stops: np.ndarray | float = 0.0
        if analysis is not None:
            slope, offset = (context.sample(p, region, tile.shape[:2]) for p in (analysis.slope, analysis.offset))
            base = slope * np.clip(tone_of(shown), 0, 1) + offset
            stops = lift_stops(base, shadows=params.shadows, highlights=params.highlights)[..., None]
        return self.leave(_render(shown, params, stops))

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return the stops by which each place is lifted: mid grey for none, white for 2.4."""
        shape = tile.shape[:2]
        if analysis is None:
            return np.full_like(tile, 0.5)
        plane = lift_stops(analysis.base, shadows=params.shadows, highlights=params.highlights)
        return np.repeat(0.5 + context.sample(plane, region, shape)[..., None] / 4.8, 3, axis=2)

    def apply_even(self, field, params, analysis, context):
        """Apply without a local lift."""
        return self.leave(_render(self.enter(field), params, 0.0))

    def idle(self, params):
        """Return whether all settings are at rest."""
        return params == ExposureParams()

    def propose(self, survey):
        """Propose the step at rest, for the light to be set by; where it may be lifted, the stops that are missing.

        A picture may be dark on purpose.
        """
        return ExposureParams(ev=_missing_stops(survey)) if survey.lift else ExposureParams()

    def findings(self, survey):
        """Return by how much the picture is too dark, and what is clipped, which no step brings back."""
        stops = _missing_stops(survey)
        dark = [Finding("dark", f"{stops:.1f} stops dark", stops, self.kind)] if stops >= _NOTEWORTHY else []
        of_file = survey if survey.curve is None else replace(survey, curve=None)  # its own values are cut off
        return [*dark, *_clipping(of_file)]

    def ease(self, params, harm, noise):
        """Bring the ends nearer to where they were when they were driven off."""
        keys = {"clipping_black": ("black", "contrast"), "clipping_white": ("white", "contrast")}.get(harm, ())
        moved = {key: round(0.6 * getattr(params, key), 3) for key in keys if getattr(params, key) > 0.01}
        return replace(params, **moved) if moved else None

    def tell(self, params, analysis, found=None):
        """Return the stops, or the first thing that is set."""
        if params.ev:
            return f"{params.ev:+.2g} stops"
        described = self.params_type.described()
        moved = [d.label.lower() for key, d in described.items() if getattr(params, key) != d.default]
        return moved[0] + " set" if moved else "as it was"

    def carry(self, params, analysis, noise, lay=None) -> NoiseField:
        """Carry noise for several lifts when places are lifted apart."""
        if analysis is None:
            return super().carry(params, analysis, noise, lay)
        plane = lift_stops(analysis.base, shadows=params.shadows, highlights=params.highlights)
        lifts = np.linspace(float(plane.min()), float(plane.max()) + 1e-3, _LIFTS, dtype=np.float32)
        slopes = _slopes_at(lifts, plane, analysis, params)

        def lifted_by(stops: float, slope: float) -> NoiseField:
            def run(field: np.ndarray) -> np.ndarray:
                shown = self.enter(field)
                tone = tone_of(shown)
                result = self.leave(_render(shown, params, (stops + slope * (tone - tone.mean()))[..., None]))
                return result if lay is None else lay(field, result)

            return carry_field(noise, lambda model: carry_noise(model, run))

        fields = tuple(lifted_by(float(stops), float(slope)) for stops, slope in zip(lifts, slopes, strict=True))
        return LiftedField(lifts, fields, lambda extent, shape: sample_plane(plane, extent, shape))


def _missing_stops(survey: Survey) -> float:
    """Return by how many stops a picture is clearly too dark, or 0.

    Dark subjects with lit parts are left as they are, and noise is not lifted to where it drowns the picture.
    """
    bright = float(np.percentile(tone_of(survey.overview), 99))
    if not _EMPTY < bright < _DARK:
        return 0.0
    light = decode_curve(np.array([bright, _AIM], np.float64))
    loudest = _STOPS_OF_TONE * np.log2(max(_LOUDEST / max(survey.base_noise.luminance, 1.0), 1.0))
    stops = min(float(np.log2(light[1] / light[0])), float(loudest), _MOST_STOPS)
    return round(stops * 20) / 20


def _clipping(survey: Survey) -> list[Finding]:
    """Return the shares of areas, not of single noisy pixels, that are lost at black and at white."""
    sectors = Sectors.of(survey.overview, survey.size)
    clipped, bright = sectors.clipped.ravel(), sectors.tone.ravel() > 0.5
    worst = [int(index) for index in np.argsort(-clipped)[:_MOST_POINTS]]
    found = []
    for end, lost in (("black", lost_at_black(survey.overview)), ("white", lost_at_white(survey.overview))):
        share = float(lost.mean())
        if share >= _LOST:
            own = [index for index in worst if clipped[index] > _PARTLY and bright[index] == (end == "white")]
            points = tuple(sectors.point(index) for index in own)
            found.append(Finding(f"clipped_{end}", f"{percent(share)} lost at {end}", share, "", points))
    return found


def _slopes_at(lifts: np.ndarray, plane: np.ndarray, analysis: BasePlanes, params: ExposureParams) -> np.ndarray:
    """Return by how many stops the lift changes with a pixel's own tone, on average where each lift stands.

    Where the base layer follows the picture, a pixel that noise makes brighter is lifted less.
    """
    small = np.float32(1e-3)
    raised = lift_stops(analysis.base + small, shadows=params.shadows, highlights=params.highlights)
    return mean_where(lifts, plane, (raised - plane) / small * analysis.slope)


def _render(tile, params, stops):
    lit = expose(tile, stops=stops, ev=params.ev, stretch=params.stretch)
    bent = bend_tone(lit, black=params.black, white=params.white, midtone=params.midtone, contrast=params.contrast)
    return saturate(bent, params.saturation)


KIND = Exposure()
