"""What the window does by measuring: proposing a route, mending a finding, easing a harm."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QObject, QTimer

from dustpan.core.document.history import Document
from dustpan.core.document.params import Params
from dustpan.core.document.route import Route, Step
from dustpan.core.judge.propose import ease_route, propose_route
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kind_of
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.own_curve import in_own_curve
from dustpan.core.work.cancel import Check
from dustpan.ui.session.open_picture import OpenPicture
from dustpan.ui.translation import tr


class Measuring(QObject):
    """Change a session's route by what is measured on its picture; each is a task that can be cancelled."""

    def __init__(self, session: OpenPicture):
        super().__init__(session)
        self.session = session

    def propose(self) -> None:
        """Measure the picture and lay out the steps that it needs."""
        session = self.session
        if session.engine is None:
            return
        task = session.tasks.begin("measuring", tr("Measuring the picture"))
        session.run_task(task, partial(propose_route, session.engine, check=task.token.check), self._take_proposal)

    def _take_proposal(self, route: Route) -> None:
        session = self.session
        if all(step.develops for step in route):
            session.told.emit(tr("Nothing was found that needs a step."), False)
            return
        session.record_proposal(route)
        # The step that follows the measurement is the one to look at first; its controls are built a moment
        # after the cards, so that the window does not stand still for both.
        first = next((s.id for s in route if getattr(s.params, "auto", False)), route.steps[-1].id)
        QTimer.singleShot(0, lambda: session.choose(first) if session.route.find(first) else None)

    def add(self, kind: str) -> None:
        """Add a step with the settings that its measurement proposes, the defaults where it proposes none."""
        self._propose_step(kind, None)

    def mend(self, kind: str) -> None:
        """Add a step with the settings that its own measurement proposes, or turn on the one that is there.

        A step that is there and at rest gets the proposed settings.
        """
        session = self.session
        present = session.route.first_of(kind)
        at_rest = present is not None and present.on and kind_of(kind).idle(present.params)
        if present is not None and not at_rest:
            session.choose(present.id)
            if not present.on:
                session.switch_step(present.id)
            return
        self._propose_step(kind, present)

    def _propose_step(self, kind: str, present: Step | None) -> None:
        """Measure for a step, and add it, or give the one that is there the proposed settings."""
        session = self.session
        if session.engine is None:
            return
        task = session.tasks.begin("measuring", tr("Measuring for {label}", label=tr(kind_of(kind).label)))
        at = session.route.index_for(kind) if present is None else session.route.index(present.id)
        before = replace(session.document, route=session.route.of(session.route.steps[:at]))

        def take(params: Params) -> None:
            if present is None:
                session.add_step(kind, params)
            elif session.route.find(present.id) == present:
                changed = session.route.with_step(replace(present, params=params))
                session.edit_route(
                    changed, tr("{label}, as proposed", label=tr(kind_of(kind).label)), choose=present.id
                )

        session.run_task(task, partial(_propose_params, session.engine, before, kind, task.token.check), take)

    def ease(self, finding: Finding) -> None:
        """Turn down what has done a harm, until the harm is gone."""
        session, route = self.session, self.session.route
        if session.engine is None or route.find(finding.step_id) is None:
            return
        task = session.tasks.begin("measuring", tr("Easing: {finding}", finding=finding.text))

        def take(eased: Route) -> None:
            if session.route != route:
                session.told.emit(tr("The route was changed meanwhile; nothing was eased."), False)
                return
            choose = finding.step_id if eased.find(finding.step_id) else None
            session.edit_route(eased, tr("Ease: {finding}", finding=finding.text), choose=choose)

        job = partial(ease_route, session.engine, session.document, harm=finding.what, check=task.token.check)
        session.run_task(task, job, take)


def _propose_params(engine: Engine, before: Document, kind: str, check: Check) -> Params:
    """Return the settings proposed for a step that was asked for behind the steps of a document, or its defaults."""
    survey = engine.survey(engine.plan(before, check=check), check=check)
    asked = in_own_curve(kind_of(kind), engine.source.curve)
    return asked.propose(replace(survey, lift=True)) or asked.params_type()
