"""Cleaning of luminance and colour noise by what was measured, as a step."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

from dustpan.core.filters.colour import with_grey
from dustpan.core.noise.carry import carry_field
from dustpan.core.noise.fields import ModelField
from dustpan.core.noise.means import Means
from dustpan.core.noise.starved import find_starved
from dustpan.core.picture.source import Source
from dustpan.core.steps.context import Context
from dustpan.core.steps.quiet.blotches import correct_blotches
from dustpan.core.steps.quiet.noise_cleaning import NoiseAnalysis, clean_noise, structure_lost, support
from dustpan.core.steps.quiet.noise_findings import find_noise
from dustpan.core.steps.quiet.noise_inside import INSIDE, show_noise
from dustpan.core.steps.quiet.noise_params import NoiseParams, weighted
from dustpan.core.steps.quiet.noise_proposal import mean_deviations, propose_noise
from dustpan.core.steps.step_kind import StepKind

_LEAST_EASED = 20.0  # %, under which easing does not go
_LEFT_EASED = 5.0  # display values of noise that easing may leave where it was much
_EASED = ("flattened", "worms", "stars_lost")  # harms against which it helps to clean less


class Noise(StepKind):
    """Quiet luminance and colour noise, as strong at each tone as it was measured."""

    kind = "noise"
    stage = "Quiet"
    order = 10
    label = "Noise"
    help = "Quiets brightness and colour noise by what was measured at each tone, and leaves texture."
    params_type = NoiseParams
    inside = INSIDE
    spares: ClassVar = {"stars_lost": ("stars", {"sensitivity": 3.5, "grow": 1.0})}
    spares_first = ("stars_lost",)

    def support(self, params, analysis):
        """Return 24 to 128 px: more for coarser scales, giving detail back, surfaces and the thorough engine."""
        return support(params, analysis)

    def measured(self, survey):
        """Return the settings for the noise at the step's input."""
        return propose_noise(survey)

    def resolve(self, params, measured):
        """Return the measured settings when `auto` is on."""
        if not params.auto:
            return params
        return replace(measured, auto=True, engine=params.engine, guided=params.guided, bare=params.bare)

    def scaled(self, params, level):
        """Return the settings of a draft, which the quick engine makes."""
        return replace(params, engine="quick") if level else params

    def analyse(self, params, survey):
        """Return the noise with the factors laid on it, and what to take off for blotches past 8 px."""
        means = Means.of(survey, (params.red, params.green, params.blue))
        field = carry_field(survey.noise, lambda model: weighted(means.uncut(model), params))
        guided = params.guided and survey.source.features is not None
        return NoiseAnalysis(field, correct_blotches(params, survey, field), means, guided, _network_for(survey.source))

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile cleaned; looks `support` px around."""
        cleaned = clean_noise(tile, region, params, analysis, context)
        if params.detail_return > 0 and params.luminance > 0:
            found = structure_lost(tile, cleaned, region, params, replace(context, noise=analysis.field))
            cleaned = with_grey(cleaned, found, params.detail_return / 100)
        if analysis.coarse is not None:
            cleaned = cleaned + context.sample(analysis.coarse, region, tile.shape[:2])
        return cleaned

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return one of the inner pictures; see `noise_inside`."""
        return show_noise(name, tile, region, params, analysis, context)

    def apply_even(self, field, params, analysis, context):
        """Clean a flat field of the noise that the context names, without blotches past 8 px."""
        means = Means(in_light=analysis.means.in_light) if analysis is not None else Means()
        even = NoiseAnalysis(ModelField(weighted(context.noise.model, params)), None, means)
        return self.apply(field, (0, 0, *context.size), replace(params, engine="quick"), even, context)

    def idle(self, params):
        """Return whether nothing is to be taken away."""
        return params.luminance <= 0 and params.colour <= 0

    def propose(self, survey):
        """Propose the step, on automatic, where there is noise to see."""
        return NoiseParams(bare=survey.bare) if survey.base_noise.noticeable else None

    def bare(self, params):
        """Return the places that the user knows to be empty."""
        return params.bare

    def findings(self, survey):
        """Return how strong luminance and colour noise are."""
        starved = find_starved(survey) if survey.source.rendered and survey.base_noise.noticeable else None
        return find_noise(survey.base_noise, kind=self.kind, starved=starved)

    def ease(self, params, harm, noise):
        """Take less away, and give more detail back, where texture was flattened, drawn as strokes, or stars went.

        Not so little that one would think nothing was done: texture under strong noise is lost whatever one does.
        """
        strong = mean_deviations(noise)[0]
        least = max(_LEAST_EASED, 100 * (1 - _LEFT_EASED / max(strong, 1.0)))
        gentler = replace(
            params,
            auto=False,
            luminance=float(round(max(0.8 * params.luminance, least))),
            detail_return=min(params.detail_return + 15, 100.0),
        )
        return gentler if harm in _EASED and gentler.luminance < params.luminance else None

    def tell(self, params, analysis, found=None):
        """Return how strong both cleanings are."""
        return f"luminance {params.luminance:.0f} %, colour {params.colour:.0f} %"


def _network_for(source: Source) -> str | None:
    """Return by which network the thorough engine corrects a picture, or None."""
    if source.rendered or source.features is not None:
        return None
    return "whole" if source.compression is None else "jpeg"


KIND = Noise()
