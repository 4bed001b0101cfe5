"""Find the strength of a step at which its first harm appears."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from dustpan.core.document.history import Document
from dustpan.core.document.route import Step
from dustpan.core.judge.report import find_harm
from dustpan.core.judge.spots import Spot, choose_patches
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.core.steps.finding import Finding
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.pool import Priority

_LEAST = 0.02  # of the parameter's range, under which strengths do not differ
_CLOSE = 1.06  # ratio of two strengths that are taken for one


@dataclass(frozen=True)
class SafeStrength:
    """The largest strength at which a step does no harm.

    Attributes
    ----------
    key : the parameter that says how strong it is.
    value : its largest harmless value; the end of its range where none harms.
    harm : what appears past it, or None.
    """

    key: str
    value: float
    harm: Finding | None


def without_strength(document: Document, step: Step) -> Document:
    """Return a document whose step has no strength: what its safe strength depends on, and nothing else."""
    return _at(document, step, kinds()[step.kind].judged_by, 0.0)


def find_safe_strength(
    engine: Engine, document: Document, step: Step, spots: Sequence[Spot] = (), *, check: Check = no_check
) -> SafeStrength | None:
    """Return how strong a step may be until it does harm that the route does not do without it.

    None for kinds of step that are not judged by a strength. The result is accurate to 6 %, found by bisection.

    Parameters
    ----------
    spots : whose patches are judged; by default those that a report chooses.
    """
    key = kinds()[step.kind].judged_by
    if not key:
        return None
    plain = replace(document, route=document.route.original(mosaic=engine.source.mosaic is not None))
    original = engine.plan(plain, check=check)
    where = tuple(spots) or tuple(choose_patches(original.base))

    def harms_at(value: float) -> dict[str, Finding]:
        plan = engine.plan(_at(document, step, key, value), check=check)
        return {h.what: h for h in find_harm(engine, plan, original, where, check=check, priority=Priority.AROUND)}

    high = step.params.described()[key].range[1]
    present = harms_at(0.0)
    worst = _first_of(harms_at(high), present)
    if worst is None:
        return SafeStrength(key, high, None)
    sound, harmful = _LEAST * high, high
    if (found := _first_of(harms_at(sound), present)) is not None:
        return SafeStrength(key, 0.0, found)
    while harmful / sound > _CLOSE:
        middle = (sound * harmful) ** 0.5
        found = _first_of(harms_at(middle), present)
        sound, harmful, worst = (middle, harmful, worst) if found is None else (sound, middle, found)
    return SafeStrength(key, sound, worst)


def _first_of(found: dict[str, Finding], present: dict[str, Finding]) -> Finding | None:
    """Return a harm that was not present before, or None."""
    return next((harm for what, harm in found.items() if what not in present), None)


def _at(document: Document, step: Step, key: str, value: float) -> Document:
    changed = replace(step, params=replace(step.params, **{key: float(value)}))
    return replace(document, route=document.route.with_step(changed))
