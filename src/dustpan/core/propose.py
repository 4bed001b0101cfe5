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
    route = Route()
    for kind in kinds().values():
        survey = engine.survey(engine.plan(Document(route), check=check), check=check)
        params = kind.propose(survey)
        if params is not None:
            step = Step(route.free_id(kind.kind), kind.kind, params, blend=kind.default_blend)
            route = route.inserted(step, len(route))
    return route
