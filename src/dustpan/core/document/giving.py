"""Giving a route, or one card of it, to other pictures."""

from __future__ import annotations

from dataclasses import replace

from dustpan.core.document.route import Route, Step


def with_card(route: Route, step: Step, giver: Route) -> Route:
    """Return a route with another picture's card: in the place of its own first one of that kind, else as a new one.

    Places that belong to the other picture stay there; kept Wheres that the card uses come with it.
    """
    card = replace(step, params=step.params.carried())
    for name, where in giver.wheres:
        if card.where.uses(name) and route.kept(name) is None:
            route = route.keeping(name, where)
    own = route.first_of(step.kind)
    if own is not None:
        return route.with_step(replace(card, id=own.id))
    card = replace(card, id=route.free_id(step.kind))
    return route.inserted(card, route.index_for(step.kind))
