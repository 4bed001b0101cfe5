"""Spare what a step does harm to, by its Where."""

from __future__ import annotations

from dataclasses import replace

from dustpan.core.document.route import Step
from dustpan.core.where.words import new_part


def spare(step: Step, kind: str) -> Step | None:
    """Return a step that leaves out what a kind of part covers, or None where it does so already."""
    where = step.where
    op = "add" if where.invert else "subtract"
    if not kind or any(part.on and (part.kind, part.op) == (kind, op) for part in where.parts):
        return None
    return replace(step, where=replace(where, parts=(*where.parts, new_part(where, kind, op=op))))
