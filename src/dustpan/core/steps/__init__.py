"""The registry of step kinds: every module of this folder that has a KIND."""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

from dustpan.core.errors import RemedyError
from dustpan.core.params import nearest
from dustpan.core.route import STAGES, Step
from dustpan.core.steps.base import StepKind


@cache
def kinds() -> dict[str, StepKind]:
    """Return all kinds by name, in the order of the stages."""
    found = []
    for info in pkgutil.iter_modules(__path__):
        module = importlib.import_module(f"{__name__}.{info.name}")
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


def new_step(name: str, step_id: str) -> Step:
    """Return a step of a kind at its defaults."""
    kind = kind_of(name)
    return Step(step_id, name, kind.params_type(), blend=kind.default_blend)
