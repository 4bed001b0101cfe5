"""Sharpening by an unsharp mask that leaves noise and bare areas alone and keeps halos down."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of, with_grey, with_grey_within
from dustpan.core.filters.edge_blur import RISE
from dustpan.core.filters.sharpen import (
    Sharpening,
    amount_to_steepen,
    detail_of,
    gate_of,
    noise_gain,
    reach,
    sharpen_plane,
)
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.picture.region import CENTRE
from dustpan.core.steps.context import Context
from dustpan.core.steps.drafts import with_reduced_radius
from dustpan.core.steps.easing import OF_STRENGTH
from dustpan.core.steps.softness import blur_of
from dustpan.core.steps.step_kind import Inside, StepKind

_SHARPEST, _USUAL_RISE, _SOFTEST = 1.6, 2.2, 6.0  # px of 10-90 % rise: as pixels can show, of most pictures, at most
# Most photographs as they are have edges that rise within 3 px. Proposed from here on, and not where edges overshoot,
# sharpening raises SSIM in 7 of 8 proposals over 44 kinds of noise and 14 photographs; from 2.7 px on it was 1 of 31.
_SOFT, _BLURRED = 3.55, 6.3  # px of rise between which a picture is soft; past that it was never in focus
_FINE = 0.3  # deviation of the noise's finest coefficients beside its mean; of an enlarged picture 0.03 to 0.15
_STEEPER = 0.06  # part by which the picture's own edges are to rise over a shorter way
_LEAST_AMOUNT, _MOST_AMOUNT = 15.0, 60.0  # %
_SHARPENED = 0.03  # overshoot of the edges of a soft picture that its camera has sharpened as far as it bears
_CRISP, _STEADY = 0.05, 0.015  # overshoot of the edges past which more would be a halo, and what noise feigns of it
_HALVED_BY = 4.0  # display values of noise at the input that halve the amount
_LEAST_RADIUS = 0.35  # px; under it a draft shows nothing of the step
_TONE_OF_LUMINANCE = np.float32(3**-0.5)  # the mean of three channels is luminance divided by the root of three


@dataclass(frozen=True)
class SharpenParams(Params):
    """Settings of the sharpen step."""

    amount: float = param(
        "Amount", 100.0, "How much detail is raised; higher is crisper.", unit="%", low=0.0, high=500.0, step=5.0
    )
    radius: float = param(
        "Radius",
        0.8,
        "Size of the detail that is raised; match it to how soft the picture is.",
        unit="px",
        low=0.2,
        high=10.0,
        step=0.1,
    )
    threshold: float = param(
        "Threshold", 2.0, "Detail weaker than this is left as it is.", unit="levels", low=0.0, high=32.0, step=0.5
    )
    finest_octave: float = param(
        "Finest octave",
        0.35,
        "How much the very finest detail, where noise lives, takes part.",
        low=0.0,
        high=1.0,
        step=0.05,
    )
    edge_gate: float = param(
        "Edge gate",
        0.3,
        "Higher leaves out what has no direction, so that bare areas grow no worms.",
        low=0.0,
        high=1.0,
        step=0.05,
    )
    noise_gate: float = param(
        "Noise gate",
        1.5,
        "Detail must be this much stronger than the noise left; higher leaves more alone.",
        unit="sigma",
        low=0.0,
        high=4.0,
        step=0.1,
    )
    halo_light: float = param(
        "Bright halo", 0.5, "How much of a bright rim along edges is allowed.", low=0.0, high=1.0, step=0.05
    )
    halo_dark: float = param(
        "Dark halo", 0.5, "How much of a dark rim along edges is allowed.", low=0.0, high=1.0, step=0.05
    )


class Sharpen(StepKind):
    """Raise fine detail of luminance where there is more than noise."""

    kind = "sharpen"
    stage = "Crisp"
    order = 10
    label = "Sharpen"
    help = "Raises fine detail where there is some, leaves noise and bare areas alone, and keeps halos down."
    params_type = SharpenParams
    default_blend = "luminance_only"
    judged_by = "amount"
    spares: ClassVar = {"noise_louder": ("flat", {}), "worms": ("flat", {})}
    inside: ClassVar = {
        "gate": Inside("Gates: where detail is raised", "edge_gate"),
        "detail": Inside("Detail that is raised", "radius"),
    }

    def support(self, params, analysis):
        """Return the reach of blur and gates, 10 to 60 px."""
        return reach(params.radius)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its luminance sharpened; looks up to 60 px around."""
        tone = tone_of(tile)
        noise = _noise_of_detail(tone, region, params, context)
        added = sharpen_plane(tone, _sharpening(params), noise=noise)
        return with_grey_within(tile, added)

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return the share of detail that is raised, or the detail four times as strong on mid grey."""
        tone = tone_of(tile)
        if name == "detail":
            detail = detail_of(tone, radius=params.radius, finest=params.finest_octave)
            return with_grey(np.full_like(tile, 0.5), detail, 4.0)
        gate = gate_of(tone, _sharpening(params), noise=_noise_of_detail(tone, region, params, context))
        return np.repeat(gate[..., None], 3, axis=2)

    def scaled(self, params, level):
        """Shrink the radius; leave the step out when nothing of it would show."""
        return with_reduced_radius(params, level, least=_LEAST_RADIUS)

    def idle(self, params):
        """Return whether nothing is raised."""
        return params.amount <= 0

    def propose(self, survey):
        """Propose the step where a lens has left the picture softer than its pixels allow, and noise is cleaned.

        Noise in the finest detail shows that the pixels could hold more; that of an enlarged picture is as soft as its
        edges, and sharpening such a one only leads away from what was there.
        """
        noise, blur = survey.base_noise, blur_of(survey)
        if survey.source.rendered or not noise.noticeable or blur is None:
            return None
        soft = _SOFT <= blur.rise <= _BLURRED and blur.overshoot < _SHARPENED
        soft = soft and float(noise.spectrum[0, 0, 5:, 5:].mean()) > _FINE
        params = self.measured(survey)
        return params if soft and params.amount >= _LEAST_AMOUNT else None

    def measured(self, survey):
        """Return what makes the picture's own edges steeper, less of it the more noise there is to raise.

        The radius follows the edges' own width. Edges that are as sharp as pixels can show, or that overshoot since the
        camera has sharpened them, are left so.
        """
        blur = blur_of(survey)
        rise = _USUAL_RISE if blur is None else min(max(blur.rise, _SHARPEST), _SOFTEST)
        params = SharpenParams(radius=round(min(max(rise / RISE, 0.8), 2.0), 1), noise_gate=2.0)
        steeper = min(_STEEPER, 1 - _SHARPEST / rise)
        amount = 100 * amount_to_steepen(rise, _sharpening(params), by=steeper) if steeper > 0 else 0.0
        noise = float(np.sqrt((survey.noise.sigma(TONES[None, 1:-1], CENTRE)[0] ** 2).mean())) * DISPLAY
        crisp = 0.0 if blur is None else (blur.overshoot - _STEADY) / _CRISP
        amount = min(amount, _MOST_AMOUNT) * min(max(1 - crisp, 0.0), 1.0) / (1 + (noise / _HALVED_BY) ** 2)
        return replace(params, amount=float(round(amount / 5) * 5))

    def ease(self, params, harm, noise):
        """Leave more noise alone, allow less halo and raise less detail, and in the end none."""
        if harm in ("noise_louder", "worms") and params.noise_gate < 4:
            edge_gate = min(params.edge_gate + 0.2, 1.0) if harm == "worms" else params.edge_gate
            return replace(params, noise_gate=min(params.noise_gate + 0.5, 4.0), edge_gate=round(edge_gate, 2))
        if harm not in OF_STRENGTH or params.amount <= 0:
            return None
        if params.amount < 20:
            return params
        return replace(
            params,
            amount=round(0.7 * params.amount),
            halo_light=round(0.6 * params.halo_light, 2),
            halo_dark=round(0.6 * params.halo_dark, 2),
        )

    def tell(self, params, analysis, found=None):
        """Return amount and radius."""
        return f"{params.amount:.0f} % at {params.radius:.1f} px"


def _sharpening(params: SharpenParams) -> Sharpening:
    return Sharpening(
        amount=params.amount / 100,
        radius=params.radius,
        finest=params.finest_octave,
        noise_gate=params.noise_gate,
        threshold=params.threshold / DISPLAY,
        edge_gate=params.edge_gate,
        halo_light=params.halo_light,
        halo_dark=params.halo_dark,
    )


def _noise_of_detail(tone, region, params, context: Context) -> np.ndarray:
    """Return (h, w): deviation of the noise in the detail at each place."""
    gain = noise_gain(context.spectrum()[0], radius=params.radius, finest=params.finest_octave)
    return context.coarse_sigma(tone, region)[0] * (_TONE_OF_LUMINANCE * np.float32(gain))


KIND = Sharpen()
