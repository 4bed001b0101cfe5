"""Haze: stray light that lies over what is far away, measured on the picture and taken."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.haze import CALM_REACH, MOST_VEIL, Veil, calmed, clear, find_veil, gain_against, taken
from dustpan.core.filters.planes import mean_where, sample_plane, shrink_to
from dustpan.core.noise.carry import carry_field, carry_noise
from dustpan.core.noise.fields import LiftedField, MixedField, NoiseField
from dustpan.core.picture.region import WHOLE, extent_of
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import percent
from dustpan.core.steps.step_kind import Inside, StepKind

_SIDE = 400  # px of the picture by which the gain and the noise behind are measured
_LIFTS = 4  # veils for which the noise is carried
_BRIGHTER = np.float32(1e-3)  # working value by which pixels are made brighter to see how the veil follows
_FARTHEST = 3.0  # optical depth that its inner picture shows as white


@dataclass(frozen=True)
class HazeParams(Params):
    """Settings of the haze step."""

    strength: float = param("Strength", 0.5, "How much of the veil is taken.", low=0.0, high=1.0, step=0.02)
    far_only: float = param(
        "Far only", 0.0, "Higher spares what is near, under a thin veil.", low=0.0, high=1.0, step=0.05
    )
    sky_guard: float = param(
        "Sky guard", 0.6, "Higher leaves smooth bright sky as it is.", low=0.0, high=1.0, step=0.05
    )
    even_out: float = param(
        "Even out",
        0.5,
        "Gives back the brightness that goes with the veil: 1 all of it, 0 none.",
        low=0.0,
        high=1.0,
        step=0.05,
    )


@dataclass(frozen=True, eq=False)
class Cleared:
    """What is known of a picture's haze.

    Attributes
    ----------
    veil : see `Veil`.
    gain : of the light that is left.
    plane : (h, w) how much veil is taken at each place.
    slope : (h, w) how much that changes with a pixel's own tone.
    sky : (h, w) how far each place is sky.
    """

    veil: Veil
    gain: float
    plane: np.ndarray
    slope: np.ndarray
    sky: np.ndarray


class Haze(StepKind):
    """Take the veil of stray light, more where there is more of it."""

    kind = "haze"
    stage = "Tone"
    order = 30
    label = "Haze"
    help = "Takes the veil of haze, most where it lies thickest; noise that rises there is told to the steps behind."
    params_type = HazeParams
    judged_by = "strength"
    in_light = True
    inside: ClassVar = {
        "veil": Inside("Veil that is taken", "strength"),
        "distance": Inside("How far away things are taken to be", "far_only"),
    }

    def support(self, params, analysis):
        """Return the reach of the smoothing that keeps noise out of the veil."""
        return CALM_REACH

    def analyse(self, params, survey):
        """Return the veil over the picture and the gain against what it takes of the light, or None without light."""
        veil = find_veil(survey.overview)
        if veil is None:
            return None
        small = shrink_to(np.ascontiguousarray(survey.overview, np.float32), _SIDE)
        plane, sky = veil.at(small, WHOLE)
        plane, brighter = _taken(plane, params), _taken(veil.at(small + _BRIGHTER, WHOLE)[0], params)
        gain = gain_against(small, clear(small, plane, veil.air, 1.0)) ** params.even_out
        return Cleared(veil, gain, plane, (brighter - plane) / _BRIGHTER, sky)

    def found_nothing(self, params, analysis):
        """Return whether there is no light that could be a veil."""
        return analysis is None

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile without its veil; looks 4 px around."""
        shown = self.enter(tile)
        veil, sky = analysis.veil.at(calmed(shown), extent_of(region, context.size))
        cleared = clear(shown, _taken(veil, params), analysis.veil.air, analysis.gain)
        return self.leave(shown + (1 - np.float32(params.sky_guard) * sky)[..., None] * (cleared - shown))

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return the veil, or the distance by its optical depth: black is near."""
        if analysis is None:
            return np.zeros_like(tile)
        veil, _ = analysis.veil.at(calmed(self.enter(tile)), extent_of(region, context.size))
        shown = _taken(veil, params) if name == "veil" else -np.log1p(-veil) / _FARTHEST
        return np.repeat(np.clip(shown, 0, 1)[..., None], 3, axis=2).astype(np.float32)

    def idle(self, params):
        """Return whether nothing is taken."""
        return params.strength <= 0

    def tell(self, params, analysis, found=None):
        """Return how much of the light is taken for veil, in the mean."""
        return "no veil" if analysis is None else f"{percent(float(analysis.plane.mean()))} of the light taken"

    def carry(self, params, analysis, noise, lay=None) -> NoiseField:
        """Carry noise for several veils: what is cleared most is noisiest.

        Where the veil follows the picture, more of it is taken from what noise makes brighter.
        """
        if analysis is None:
            return noise
        veils = np.linspace(float(analysis.plane.min()), float(analysis.plane.max()) + 1e-3, _LIFTS, dtype=np.float32)
        slopes = mean_where(veils, analysis.plane, analysis.slope)

        def behind(veil: float, slope: float) -> NoiseField:
            def run(field: np.ndarray) -> np.ndarray:
                shown = self.enter(field)
                tone = tone_of(calmed(shown))
                here = np.clip(veil + slope * (tone - tone.mean()), 0, MOST_VEIL).astype(np.float32)
                cleared = self.leave(clear(shown, here, analysis.veil.air, analysis.gain))
                return cleared if lay is None else lay(field, cleared)

            return carry_field(noise, lambda model: carry_noise(model, run))

        fields = tuple(behind(float(veil), float(slope)) for veil, slope in zip(veils, slopes, strict=True))
        cleared = LiftedField(veils, fields, lambda extent, shape: sample_plane(analysis.plane, extent, shape))
        share = (1 - params.sky_guard * analysis.sky).astype(np.float32)
        return MixedField(noise, cleared, lambda extent, shape: sample_plane(share, extent, shape))

    def ease(self, params, harm, noise):
        """Take less of the veil, and in the end none."""
        if harm not in ("clipping_black", "dull_highlights", "cast", "noise_louder"):
            return None
        return params if params.strength < 0.1 else replace(params, strength=0.7 * params.strength)


def _taken(veil: np.ndarray, params: HazeParams) -> np.ndarray:
    return taken(veil, strength=params.strength, far_only=params.far_only)


KIND = Haze()
