"""Find what is wrong with a picture before any step."""

from __future__ import annotations

from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.steps import kinds
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.own_curve import in_own_curve
from dustpan.core.work.cancel import Check, no_check


def find_faults(engine: Engine, plan: Plan, *, check: Check = no_check) -> list[Finding]:
    """Return what each kind of step finds wrong with a picture, in the order of the stages.

    Parameters
    ----------
    plan : the picture as it came; of a mosaic, developed.
    """
    survey = engine.survey(plan, check=check)
    found: list[Finding] = []
    for kind in kinds().values():
        check()
        found += in_own_curve(kind, engine.source.curve).findings(survey)
    return found
