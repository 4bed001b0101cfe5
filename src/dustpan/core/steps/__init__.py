"""Steps: one module a kind, in a folder for each stage, found by the registry."""

from __future__ import annotations

from collections.abc import Mapping
from typing import cast

from dustpan.core.document.kinds import describe_kind, step_kinds
from dustpan.core.steps.step_kind import StepKind


def kinds() -> Mapping[str, StepKind]:
    """Return all kinds of step by name, in the order of the stages."""
    return cast(Mapping[str, StepKind], step_kinds())


def kind_of(name: str) -> StepKind:
    """Return a kind of step by name; raises RemedyError with the nearest known name."""
    return cast(StepKind, describe_kind(name))
