"""The histogram of the chosen step, made in a worker whenever the step has changed."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.errors import DustpanError
from dustpan.core.judge.histogram import Histogram, histograms
from dustpan.core.steps import kind_of
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.session.session import Session


class Histograms(QObject):
    """Count the tones before and after the chosen step, one job at a time, so that it keeps up with a drag.

    Signals
    -------
    made(before, after) : there are newer counts.
    """

    made = pyqtSignal(object, object)

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self._shown: tuple | None = None
        self._counts: tuple[Histogram, Histogram] | None = None
        self._busy = False
        session.planned.connect(self.refresh)
        session.chosen.connect(self.refresh)

    def refresh(self) -> None:
        """Ask for the counts if the step is one whose ends a histogram sets, and they are not shown yet."""
        session, step, plan = self.session, self.session.step, self.session.plan
        prepared = plan.find(step.id) if plan is not None and step is not None else None
        if step is None or prepared is None or session.engine is None or not (ends := kind_of(step.kind).ends):
            return
        key = session.engine, step.id, prepared.key
        if self._busy or key == self._shown:
            return
        self._busy = True
        rest = {name: step.params.described()[name].default for name in ends}
        token = Token()
        job = partial(histograms, session.engine, session.document, step.id, rest, check=token.check)
        then = partial(self._take, key)
        session.jobs.run(job, then, priority=Priority.AROUND, token=token, failed=self._give_up)

    def counts_of(self, step_id: str) -> tuple[Histogram, Histogram] | None:
        """Return the newest counts, where they are those of a step."""
        return self._counts if self._shown is not None and self._shown[:2] == (self.session.engine, step_id) else None

    def _take(self, key: tuple, made: tuple[Histogram, Histogram]) -> None:
        self._busy, self._shown, self._counts = False, key, made
        self.made.emit(*made)
        self.refresh()  # the step may have changed meanwhile

    def _give_up(self, fault: DustpanError) -> None:
        self._busy = False  # the plan that comes next asks again
