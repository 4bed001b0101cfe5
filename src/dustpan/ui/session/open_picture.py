"""The open picture: its engine, its document, its file, and the work under way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.document.history import Document
from dustpan.core.document.work import Work
from dustpan.core.errors import DustpanError
from dustpan.core.render.engine import Engine, bare_places
from dustpan.core.render.store import Stores
from dustpan.core.work.pool import Priority
from dustpan.ui.session.editing import Editing
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.session.pictures import Pictures
from dustpan.ui.session.tasks import Task, Tasks
from dustpan.ui.session.watch import Stamp
from dustpan.ui.translation import counted, tr
from dustpan.ui.widgets.configured import configured

TAKEN_UP = "Take up the work of before"  # label of the entry
_KEEP_PAUSE = 1500  # ms without a change before the route is kept for its file
_KEEP_ANYWAY = 30_000  # ms after which it is kept although it goes on changing
_BUDGET = 256 << 20  # bytes of blocks that a window keeps


class OpenPicture(Editing):
    """Hold the open picture, or none, and run tasks on it.

    Signals
    -------
    opened : another picture is shown.
    offered(text, label, act, refuse) : something to say, what the user can do about it, and what is done when not.
    restored(view) : a picture is shown as it was left; `view` holds plain values: see `ui.looked_at`.
    pointed : other places are said to be bare, so that the noise is measured anew.
    kept_anew : what was done to the picture was kept.
    """

    opened = pyqtSignal()
    offered = pyqtSignal(str, str, object, object)
    restored = pyqtSignal(object)
    pointed = pyqtSignal()
    kept_anew = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None, kept: KeptWork | None = None):
        super().__init__(parent)
        self.jobs = jobs
        self.tasks = Tasks(self)
        self.pictures = Pictures()
        self.kept = kept or KeptWork(None)
        self.stores = Stores.of(_BUDGET)
        self.path: Path | None = None
        self.kept_name: str | None = None  # under which the work on the picture is kept
        self.takes_up = True  # the work of before is taken up at once; else it is offered
        self.waiting: Work | None = None  # the work of before, offered and not yet answered
        self.view: Callable[[], dict[str, Any]] = dict  # returns how the picture is looked at, as plain values
        self.stamp: Stamp | None = None  # the state of its file when it was read
        self.engine: Engine | None = None
        self.visible = 1.0  # noise that proposals may leave, in units of what can just be seen
        self.safe: Document | None = None  # the document as it was exported, saved or opened last
        self._keeping = configured(QTimer(self), singleShot=True, interval=_KEEP_PAUSE)
        self._keeping.timeout.connect(self.keep_work)
        self._keeping_anyway = configured(QTimer(self), singleShot=True, interval=_KEEP_ANYWAY)
        self._keeping_anyway.timeout.connect(self.keep_work)
        self.edited.connect(self._keep_soon)
        self.edited.connect(self._follow_bare_places)
        self.opened.connect(lambda: self._follow_bare_places(opened=True))
        jobs.failed.connect(lambda fault: self.told.emit(str(fault), True))

    @property
    def of_mosaic(self) -> bool:
        """Whether the picture is a sensor's mosaic."""
        return self.engine is not None and self.engine.source.mosaic is not None

    @property
    def original(self) -> Document:
        """The document of the picture as it came."""
        return replace(self.document, route=self.route.original(mosaic=self.of_mosaic))

    @property
    def changed(self) -> bool:
        """Whether the route holds work that was neither exported nor saved."""
        return self.engine is not None and self.history.document != self.safe

    def _follow_bare_places(self, dragging: bool = False, *, opened: bool = False) -> None:
        """Have noise measured in the places that the route says to be bare."""
        if self.engine is None or dragging or self.engine.bare == (bare := bare_places(self.route)):
            return
        self.engine.bare = bare
        if not opened:
            self.pointed.emit()

    def set_visible(self, visible: float) -> None:
        """Set how much noise proposals may leave; settings that follow the measurement follow this too."""
        self.visible = visible
        if self.engine is not None and self.engine.visible != visible:
            self.engine.visible = visible
            self.edited.emit(False)

    def _keep_soon(self, dragging: bool) -> None:
        """Have the work kept after a pause, and after half a minute without one."""
        if not dragging:
            self._keeping.start()
        if not self._keeping_anyway.isActive():
            self._keeping_anyway.start()

    def keep_work(self) -> None:
        """Keep what was done to the picture; work of before that is still offered is not written over."""
        self._keeping.stop()
        self._keeping_anyway.stop()
        if self.kept_name is None or self.engine is None or self.waiting is not None:
            return
        if self.history.at or len(self.history.entries) > 1 or self.takes:
            document = self.history.document
            work = Work(document, self.takes, self.chosen_id, document == self.safe, self.view())
            self.kept.keep(self.kept_name, work)
            self.kept_anew.emit()

    def mark_safe(self, document: Document) -> None:
        """Take a document for exported or saved."""
        self.safe = document
        self.keep_work()
        self.edited.emit(False)

    def offer_work(self) -> None:
        """Offer the work of before, where it was not taken up at once."""
        if (work := self.waiting) is None:
            return
        steps = counted("{count} step", "{count} steps", len(work.route))
        written, unwritten = (
            "A route of {steps} was left for this picture.",
            "A route of {steps} was left for this picture, not exported.",
        )
        text = tr(written if work.written else unwritten, steps=steps)
        self.offered.emit(text, tr("Restore it"), partial(self._take_up, work), self._refuse)

    def _take_up(self, work: Work) -> None:
        if self.waiting is not work:
            return
        self.waiting = None
        self.takes = {**work.takes, **self.takes}
        self.taken.emit()
        self.edit_choosing(work.document, TAKEN_UP, work.chosen_id)
        if work.written:
            self.mark_safe(self.history.document)
        self.restored.emit(work.view)

    def _refuse(self) -> None:
        self.waiting = None

    def run_task(self, task: Task, job: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Run the job of a task in the pool; the task ends with it, and a fault is reported."""

        def finish(result: Any) -> None:
            task.end()
            then(result)

        self.jobs.run(job, finish, priority=Priority.VIEW, token=task.token, failed=partial(self.fail_task, task))

    def conduct_task(self, task: Task, job: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Do what `run_task` does for a job that itself hands blocks to the pool."""

        def finish(result: Any) -> None:
            task.end()
            then(result)

        self.jobs.conduct(job, finish, token=task.token, failed=partial(self.fail_task, task))

    def fail_task(self, task: Task, fault: DustpanError) -> None:
        """End a task and report its fault."""
        task.end()
        self.told.emit(str(fault), True)
