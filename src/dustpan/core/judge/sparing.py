"""Spare what a step does harm to, by its Where."""

from __future__ import annotations

from dataclasses import replace

from dustpan.core.document.route import Step
from dustpan.core.steps.step_kind import StepKind
from dustpan.core.where.words import new_part


def spare(step: Step, kind: StepKind, harm: str) -> Step | None:
    """Return a step that leaves out what it does a harm to, or None where it does so already or can't."""
    if harm not in kind.spares:
        return None
    name, values = kind.spares[harm]
    where = step.where
    op = "add" if where.invert else "subtract"
    if any(part.on and (part.kind, part.op) == (name, op) for part in where.parts):
        return None
    return replace(step, where=replace(where, parts=(*where.parts, new_part(where, name, op=op, **values))))
