"""Judge what a route did, from patches of the picture and the noise carried through it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

import numpy as np

from dustpan.core.document.route import Route
from dustpan.core.judge.figures import PatchFigures, combine_figures, find_harms, measure_patch, patch_in
from dustpan.core.judge.harms import HARMS, MEASURES, Figures, Pair, Patch, Side
from dustpan.core.judge.harms.texture import FLATTENED
from dustpan.core.judge.harms.worms import WORMS
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


def judge(engine: Engine, plan: Plan, original: Plan, spots: Sequence[Spot], *, check: Check = no_check) -> Report:
    """Return the report of a plan.

    Clipping is compared with the original, all else with the picture after the Tone steps of the route alone.

    Parameters
    ----------
    original : the plan without any step.
    spots : whose patches are judged.
    """
    reference = plan_reference(engine, plan, check=check)
    looked = _look(engine, (reference, original, plan), spots, check=check, priority=Priority.AROUND)
    report = report_on(
        engine, plan, reference, looked.regions, looked.pairs, originals=looked.originals, spots=spots, check=check
    )
    figures = _without_stars(engine, report.figures)
    return replace(report, figures=figures, harm=_harm_done(engine, plan, spots, figures, report.patches))


def find_harm(
    engine: Engine,
    plan: Plan,
    original: Plan,
    spots: Sequence[Spot],
    *,
    check: Check = no_check,
    priority: int = Priority.AROUND,
) -> Sequence[Finding]:
    """Return the harm that `judge` tells of, without its readings of noise.

    Parameters
    ----------
    priority : of the threads that help.
    """
    if not plan.all_active:
        return ()
    reference = plan_reference(engine, plan, check=check)
    looked = _look(engine, (reference, original, plan), spots, check=check, priority=priority)
    patches = _measure_patches(engine, reference, looked, check=check)
    figures = _without_stars(engine, combine_figures(patches, _chosen_by_tone(spots, len(patches))))
    return _harm_done(engine, plan, spots, figures, patches)


class _Looked(NamedTuple):
    """Patches: their regions, their pixels before and after, and without any step."""

    regions: Sequence[Region]
    pairs: Sequence[Pair]
    originals: Sequence[np.ndarray]


def _look(
    engine: Engine, plans: tuple[Plan, Plan, Plan], spots: Sequence[Spot], *, check: Check, priority: int
) -> _Looked:
    """Return the patches of spots in three plans: that of reference, the original, and the one that is judged."""
    reference, original, plan = plans
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

    patches = map_shared(read_patch, regions, engine.pool, priority=priority)
    return _Looked(regions, [pair for pair, _ in patches], [first for _, first in patches])


def _without_stars(engine: Engine, figures: Figures) -> Figures:
    """Return figures without lost stars where points of light are glints and stray paths."""
    return Figures(figures, stars_lost=None) if engine.source.rendered else figures


def _harm_done(
    engine: Engine, plan: Plan, spots: Sequence[Spot], figures: Figures, patches: Sequence[PatchFigures]
) -> Sequence[Finding]:
    """Return the harm by the figures of a plan's patches, each with the step that has done it.

    Texture is not called flattened where cleaning was guided by feature channels: noise by place passes for it then.
    Nor are strokes worms that such a cleaning has drawn: it finds lines that only these channels show.
    """
    if not plan.all_active:
        return ()
    each = [combine_figures([patch]) for patch in patches]
    named = [name_culprit(finding, plan) for finding in find_harms(figures, spots, each)]
    told = [finding for finding in named if finding.step_id or finding.what not in _DRAWN]
    if engine.source.features is None:
        return told
    guided = {prepared.step.id for prepared in plan.all_active if getattr(prepared.params, "guided", False)}
    return [finding for finding in told if not shown_by_surfaces(finding, guided)]


def shown_by_surfaces(finding: Finding, guided: set[str]) -> bool:
    """Return whether what is told of some steps' cleaning is what the surfaces show that it was guided by."""
    if finding.what == FLATTENED.what:
        return bool(guided)
    return finding.what == WORMS.what and finding.step_id in guided


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
    looked = _Looked(regions, pairs, originals or [before for before, _ in pairs])
    patches = _measure_patches(engine, reference, looked, check=check)
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


def _measure_patches(engine: Engine, reference: Plan, looked: _Looked, *, check: Check) -> list[PatchFigures]:
    """Return what each patch adds to the figures."""

    def measure(number: int) -> PatchFigures:
        check()
        region, pair, original = looked.regions[number], looked.pairs[number], looked.originals[number]
        return measure_patch(_patch(engine, reference, region, pair, original))

    return map_shared(measure, range(len(looked.pairs)), engine.pool, priority=Priority.AROUND)


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
