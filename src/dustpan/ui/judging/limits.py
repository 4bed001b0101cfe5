"""How strong the chosen step may be until it does harm: looked for once everything else rests."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.document.history import Document
from dustpan.core.judge.report import Report
from dustpan.core.judge.safe import SafeStrength, find_safe_strength, without_strength
from dustpan.core.judge.spots import Spot
from dustpan.core.steps import kind_of
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.session.session import Session

_KEPT = 8  # limits that are remembered


class Limits(QObject):
    """Find the chosen step's safe strength in the background.

    found() : another one is known.
    """

    found = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self._spots: tuple[Spot, ...] = ()
        self._known: dict[Document, SafeStrength | None] = {}
        self._token = Token()
        session.opened.connect(self._forget)
        session.edited.connect(lambda dragging: self._follow())
        session.chosen.connect(self._look)

    def stop(self) -> None:
        """Drop the work under way."""
        self._token.cancel()

    def _follow(self) -> None:
        """Show what is known of the route as it is now; of the strength itself it does not depend."""
        self.stop()
        self.found.emit()

    def take(self, report: Report) -> None:
        """Begin to look once the route was judged: then nothing else needs the threads."""
        self._spots = tuple(report.spots)
        self._look()

    @property
    def limit(self) -> SafeStrength | None:
        """The chosen step's safe strength, or None while it is not known."""
        wanted = self._wanted()
        return None if wanted is None else self._known.get(wanted)

    def _forget(self) -> None:
        self.stop()
        self._known, self._spots = {}, ()

    def _wanted(self) -> Document | None:
        step = self.session.step
        if self.session.engine is None or step is None or not step.can_work or not kind_of(step.kind).judged_by:
            return None
        return without_strength(self.session.history.document, step)

    def _look(self) -> None:
        wanted, engine, step, spots = self._wanted(), self.session.engine, self.session.step, self._spots
        self.stop()
        if wanted is None or engine is None or step is None or not spots:
            return
        if wanted in self._known:
            self.found.emit()
            return
        self._token = token = Token()

        def then(limit: SafeStrength | None) -> None:
            self._known[wanted] = limit
            while len(self._known) > _KEPT:
                del self._known[next(iter(self._known))]
            self.found.emit()

        self.session.jobs.run(
            lambda: find_safe_strength(engine, wanted, step, spots, check=token.check),
            then,
            priority=Priority.AROUND,
            token=token,
        )
