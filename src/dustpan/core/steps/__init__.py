"""The registry of step kinds: every module of this folder and the folders in it that has a KIND."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterable
from functools import cache

from dustpan.core.document.params import nearest
from dustpan.core.document.route import STAGES, Document, Route, Step
from dustpan.core.errors import RemedyError
from dustpan.core.steps.base import StepKind


@cache
def kinds() -> dict[str, StepKind]:
    """Return all kinds by name, in the order of the stages."""
    found = []
    for info in pkgutil.walk_packages(__path__, f"{__name__}."):
        module = importlib.import_module(info.name)
        if kind := getattr(module, "KIND", None):
            found.append(kind)
    found.sort(key=lambda kind: (STAGES.index(kind.stage), kind.place))
    return {kind.kind: kind for kind in found}


def kind_of(name: str) -> StepKind:
    """Return a kind by name; raises RemedyError with the nearest known name."""
    known = kinds()
    if name not in known:
        raise RemedyError("step", [f"unknown kind '{name}'{nearest(name, known)}; known: {', '.join(known)}"])
    return known[name]


def route_faults(steps: Iterable[Step], *, mosaic: bool) -> list[str]:
    """Return what is wrong with the order of a route for a sensor's mosaic: one line each.

    A mosaic is developed exactly once, and only steps that can work on it stand before.
    """
    if not mosaic:
        return []
    steps = list(steps)
    places = [n for n, step in enumerate(steps) if kinds()[step.kind].only_mosaic]
    if len(places) != 1:
        return [f"a raw picture is developed exactly once; this route has {len(places)} such steps"]
    if not steps[places[0]].on or steps[places[0]].mix < 1 or not steps[places[0]].where.everywhere:
        return ["the development of a raw picture can't be turned off, mixed or masked"]
    wrong = [kinds()[step.kind].label for step in steps[: places[0]] if not kinds()[step.kind].takes_mosaic]
    return [f"{name} can't stand before the development of a raw picture" for name in wrong]


def new_step(name: str, step_id: str) -> Step:
    """Return a step of a kind at its defaults."""
    kind = kind_of(name)
    return Step(step_id, name, kind.params_type(), blend=kind.default_blend)


def original_of(document: Document) -> Document:
    """Return the picture as it came: without steps; of a sensor's mosaic its development alone."""
    return Document(Route(tuple(step for step in document.route if kind_of(step.kind).only_mosaic)))


def reference_of(document: Document) -> Document:
    """Return the picture in the light of a route, but with nothing mended, quieted or sharpened: its Tone steps alone.

    This is what a route is judged against: light that was raised on purpose is no harm, and raises noise itself.
    """
    return Document(Route(tuple(step for step in document.route if kind_of(step.kind).stage == "Tone")))
