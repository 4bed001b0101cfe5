"""Propose a route from the measurement, and reduce steps that do harm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from dustpan.core.document.history import Document
from dustpan.core.document.params import Params
from dustpan.core.document.route import Route, new_step
from dustpan.core.judge.report import find_harm
from dustpan.core.judge.sparing import spare
from dustpan.core.judge.spots import choose_patches
from dustpan.core.noise.survey import Survey
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.steps import kinds
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.own_curve import in_own_curve
from dustpan.core.steps.step_kind import StepKind
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.pool import Priority
from dustpan.core.work.sharing import map_shared

_ROUNDS = 12
_HARDLY = 0.25  # part by which a harm that was eased in vain has changed


def propose_route(engine: Engine, *, lift: bool = False, check: Check = no_check) -> Route:
    """Return the steps that a picture needs, in the order of the stages, with proposed settings.

    Each kind of step is asked in turn and measures the result of the steps before it, because lifting light also lifts
    noise. Then the route is judged, and steps that do harm are reduced until none does. A picture that needs nothing
    gets no step.

    Parameters
    ----------
    lift : whether dark pictures may be lifted; else the light stays as it is.
    """
    of_mosaic = engine.source.mosaic is not None
    route = _on_mosaic(engine, check) if of_mosaic else Route()
    left = [kind for kind in kinds().values() if not (kind.develops or (of_mosaic and kind.takes_mosaic))]
    while left:
        survey = engine.survey(engine.plan(Document(route), outline=True, check=check), check=check)
        kind, params, left = _first_proposal(left, replace(survey, lift=lift), engine)
        if params is not None:
            route = route.inserted(new_step(kind.kind, route.free_id(kind.kind), params), len(route))
    return _unless_idle(ease_route(engine, Document(_unless_idle(route)), outline=True, check=check))


def _first_proposal(
    asked: Sequence[StepKind], survey: Survey, engine: Engine
) -> tuple[StepKind, Params | None, list[StepKind]]:
    """Return the first kind of some that proposes its step, with its settings, and the kinds after it.

    Kinds that mend are asked at once, as mostly none of them proposes anything. But the first of all is asked alone: it
    is proposed most often, and then what the others have measured would have to be measured again.
    """
    mending = [kind for kind in kinds().values() if kind.stage == "Mend"]
    first = asked[0]
    together = [kind for kind in mending if kind in asked] if first in mending[1:] else [first]

    def ask(kind: StepKind) -> Params | None:
        return in_own_curve(kind, engine.source.curve).propose(survey)

    found = map_shared(ask, together, engine.pool)
    number = next((n for n, params in enumerate(found) if params is not None), len(together) - 1)
    return together[number], found[number], list(asked[number + 1 :])


def _unless_idle(route: Route) -> Route:
    """Return a route, or none when not one of its steps would change anything."""
    return Route() if all(kinds()[step.kind].idle(step.params) for step in route) else route


def ease_route(
    engine: Engine, document: Document, *, harm: str = "", outline: bool = False, check: Check = no_check
) -> Route:
    """Return the route of a document, reduced until it does no harm of a kind (by default: of any kind).

    In each round the step that does a harm gets gentler settings; if it has none left it is removed.

    Parameters
    ----------
    harm : id of the kind of harm, or empty for all.
    outline : judge the route by patches alone, without making Base of the whole picture.
    """
    route, mosaic = document.route, engine.source.mosaic is not None
    original = engine.plan(replace(document, route=route.original(mosaic=mosaic)), check=check)
    spots = choose_patches(original.base)

    def find(route: Route, left_out: set[str]) -> tuple[Plan, list[Finding]]:
        plan = engine.plan(replace(document, route=route), outline=outline, check=check)
        found = find_harm(engine, plan, original, spots, check=check, priority=Priority.VIEW)
        return plan, [f for f in found if harm in ("", f.what) and f.what not in left_out]

    gentle, in_vain = _turned_down(route, lambda one: find(one, set()))
    return _turned_down(route, lambda one: find(one, in_vain))[0] if in_vain and not harm else gentle


def _turned_down(route: Route, find: Callable[[Route], tuple[Plan, list[Finding]]]) -> tuple[Route, set[str]]:
    """Return a route without harm that its steps have done, and the kinds of harm against which nothing helped."""
    first: dict[str, float] = {}
    last: dict[str, float] = {}
    for _ in range(_ROUNDS):
        plan, found = find(route)
        last = {finding.what: finding.size for finding in found}
        first = {**last, **first}
        before = route
        for finding in found:
            route = eased(route, plan, finding)
        if route == before:
            break
    return route, {what for what in first if what in last and abs(last[what] / first[what] - 1) < _HARDLY}


def eased(route: Route, plan: Plan, finding: Finding) -> Route:
    """Return a route whose step is gentler against a harm that it has done; the same route where none can be.

    Parameters
    ----------
    plan : of the route.
    """
    prepared, step = plan.find(finding.step_id), route.find(finding.step_id)
    if prepared is None or step is None:
        return route
    kind, spared = prepared.kind, spare(step, prepared.kind, finding.what)
    gentler = kind.ease(prepared.params, finding.what, prepared.noise)
    if spared is not None and (gentler is None or finding.what in kind.spares_first):
        return route.with_step(spared)
    if gentler is None:
        return route
    if gentler == prepared.params or kind.idle(gentler):
        return route.without(step.id)
    return route.with_step(replace(step, params=gentler))


def _on_mosaic(engine: Engine, check: Check) -> Route:
    """Return the steps proposed for a sensor's mosaic, up to its development."""
    route = Route()
    for kind in kinds().values():
        if kind.takes_mosaic or kind.develops:
            params = kind.propose(engine.survey(engine.plan_mosaic(route, check=check), check=check))
            if params is not None:
                route = route.inserted(new_step(kind.kind, kind.kind, params), len(route))
    return route
