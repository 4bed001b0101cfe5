"""Judge what a route did, from patches of the picture and the noise carried through it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from dustpan.core.document.route import Route
from dustpan.core.judge.figures import PatchFigures, combine_figures, find_harms, measure_patch, patch_in
from dustpan.core.judge.harms import HARMS, MEASURES, Figures, Pair, Patch, Side
from dustpan.core.judge.noise_left import (
    SquareNoise,
    mean_noise,
    measure_noise,
    noise_left_over_tone,
    noise_over_tone,
    sample_noise,
)
from dustpan.core.judge.sparing import spare
from dustpan.core.judge.spots import Spot
from dustpan.core.picture.region import Region, extent_of
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan, digest
from dustpan.core.steps.finding import Finding
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.pool import Priority
from dustpan.core.work.sharing import map_shared

_DRAWN = {harm.what for harm in HARMS if harm.drawn}
_SMALL = 1_500_000  # pixels; of a picture up to this size patches are read from its blocks


@dataclass(frozen=True, eq=False)
class Report:
    """What a route did to a picture.

    Attributes
    ----------
    noise_before, noise_after : luminance noise at `TONES` in display values, in the light of the route and after it.
    noise : both averaged over the tones and regions the picture has.
    doubt : expected relative error of the noise before.
    figures : see `Figures`.
    spots, pairs, patches : the places, their pixels, and their measures.
    harm : the harm that was found.
    """

    noise_before: np.ndarray
    noise_after: np.ndarray
    noise: tuple[float, float]
    doubt: float
    figures: Figures
    spots: Sequence[Spot]
    pairs: Sequence[Pair]
    patches: Sequence[PatchFigures]
    harm: Sequence[Finding] = ()


def plan_reference(engine: Engine, plan: Plan, *, check: Check = no_check) -> Plan:
    """Return the plan that a route is judged against: its Tone steps alone."""
    route = Route(tuple(prepared.step for prepared in plan.all_active))
    return engine.plan(plan.with_other(route.tone_only()), check=check)


def judge(
    engine: Engine,
    plan: Plan,
    original: Plan,
    spots: Sequence[Spot],
    *,
    check: Check = no_check,
    priority: int = Priority.AROUND,
) -> Report:
    """Return the report of a plan.

    Clipping is compared with the original, all else with the picture after the Tone steps of the route alone.

    Parameters
    ----------
    original : the plan without any step.
    spots : whose patches are judged.
    priority : of the threads that help.
    """
    reference = plan_reference(engine, plan, check=check)
    size = plan.base.size
    regions = [spot.patch(within=size) for spot in spots]
    # Of a small picture the patches are as much as the whole, whose blocks are wanted anyway.
    read = engine.render if size[0] * size[1] < _SMALL else engine.sketch

    def read_patch(region: Region) -> tuple[Pair, np.ndarray]:
        before, first = (
            _kept_side(engine, of, region, partial(read, of, region, check=check)).pixels
            for of in (reference, original)
        )
        return (before, read(plan, region, check=check)), first

    read_patches = map_shared(read_patch, regions, engine.pool, priority=priority)
    pairs, originals = [pair for pair, _ in read_patches], [first for _, first in read_patches]
    report = report_on(engine, plan, reference, regions, pairs, originals=originals, spots=spots, check=check)
    figures = report.figures
    if engine.source.rendered:
        figures = Figures(figures, stars_lost=None)  # its points of light are glints and stray paths
    each = [combine_figures([patch]) for patch in report.patches]
    named = [name_culprit(finding, plan) for finding in find_harms(figures, spots, each)]
    harm = [finding for finding in named if finding.step_id or finding.what not in _DRAWN] if plan.all_active else []
    return replace(report, figures=figures, harm=harm)


def report_on(
    engine: Engine,
    plan: Plan,
    reference: Plan,
    regions: Sequence[Region],
    pairs: Sequence[Pair],
    *,
    originals: Sequence[np.ndarray] = (),
    spots: Sequence[Spot] = (),
    check: Check = no_check,
) -> Report:
    """Return the report of a plan from patches that are rendered already, without the harm.

    Parameters
    ----------
    reference : the plan that the route is judged against.
    regions, pairs : of each patch its region, and its pixels before and after.
    originals : pixels of each patch without any step; empty where these are those before.
    spots : names say which patches were chosen by tone; the noise of the picture is judged by these alone.
    """

    def measure(number: int) -> PatchFigures:
        check()
        original = originals[number] if originals else pairs[number][0]
        return measure_patch(_patch(engine, reference, regions[number], pairs[number], original))

    patches = map_shared(measure, range(len(pairs)), engine.pool, priority=Priority.AROUND)
    sampled = sample_noise(engine, reference, check=check)
    before = mean_noise(engine, reference, sampled)
    by_tone = _chosen_by_tone(spots, len(pairs))
    squares = SquareNoise.joined([measure_noise(reference, plan, pairs[n], regions[n]) for n in by_tone])
    return Report(
        noise_before=noise_over_tone(reference, sampled.tone),
        noise_after=noise_left_over_tone(plan, sampled.tone, squares),
        noise=(before, before * squares.share_left),
        doubt=plan.noise.doubt[0],
        figures=combine_figures(patches, by_tone),
        spots=spots,
        pairs=pairs,
        patches=patches,
    )


def measure_figure(engine: Engine, reference: Plan, region: Region, pair: Pair, name: str) -> float | None:
    """Return one figure of a patch that is rendered already; the others are not measured."""
    measure = next(measure for measure in MEASURES if name in measure.figures)
    return measure.combine([measure.measure(_patch(engine, reference, region, pair, pair[0]))])[name]


def _patch(engine: Engine, reference: Plan, region: Region, pair: Pair, original: np.ndarray) -> Patch:
    before = _kept_side(engine, reference, region, lambda: pair[0])
    after = before if np.array_equal(*pair) else Side(pair[1])  # what is derived from a side is made once
    return patch_in(reference.noise_after, extent_of(region, reference.base.size), (before, after), original)


def _kept_side(engine: Engine, of: Plan, region: Region, read: Callable[[], np.ndarray]) -> Side:
    """Return a patch before a route, kept with what is derived from it: the next route is judged against it too."""
    return engine.stores.analyses.get_or_make(digest("side", of.key, region), lambda: Side(read()))


def _chosen_by_tone(spots: Sequence[Spot], count: int) -> Sequence[int]:
    """Return the indices of the patches that were chosen by their tone, or of all."""
    return [index for index, spot in enumerate(spots) if spot.name == "tone"] or range(count)


def name_culprit(finding: Finding, plan: Plan) -> Finding:
    """Return a harm with the step that has done it: the last that can still do something against it, if any."""
    able = [
        step
        for step in plan.all_active
        if spare(step.step, step.kind, finding.what) is not None
        or step.kind.ease(step.params, finding.what, step.noise) is not None
    ]
    return replace(finding, step=able[-1].kind.kind, step_id=able[-1].step.id) if able else finding
