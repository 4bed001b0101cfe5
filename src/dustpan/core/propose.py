"""Propose a route from the measurement alone."""

from __future__ import annotations

from collections.abc import Callable

from dustpan.core.engine import Engine
from dustpan.core.route import Document, Route, Step
from dustpan.core.steps import kinds


def propose_route(engine: Engine, *, check: Callable[[], None] = lambda: None) -> Route:
    """Return the steps that a picture needs, in the order of the stages, with proposed settings.

    Each kind is asked in turn and looks at the picture as the steps before it leave it, because light that is
    lifted lifts its noise.
    """
    route = _on_mosaic(engine, check) if engine.source.mosaic is not None else Route()
    for kind in kinds().values():
        if kind.only_mosaic or (engine.source.mosaic is not None and kind.takes_mosaic):
            continue
        survey = engine.survey(engine.plan(Document(route), outline=True, check=check), check=check)
        params = kind.propose(survey)
        if params is not None:
            step = Step(route.free_id(kind.kind), kind.kind, params, blend=kind.default_blend)
            route = route.inserted(step, len(route))
    return route


def _on_mosaic(engine: Engine, check: Callable[[], None]) -> Route:
    """Return the steps proposed for a sensor's mosaic, up to its development."""
    route = Route()
    for kind in kinds().values():
        if kind.takes_mosaic or kind.only_mosaic:
            params = kind.propose(engine.survey(engine.plan_mosaic(route, check=check), check=check))
            if params is not None:
                route = route.inserted(Step(kind.kind, kind.kind, params, blend=kind.default_blend), len(route))
    return route
