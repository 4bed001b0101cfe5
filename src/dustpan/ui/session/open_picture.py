"""The open picture: its engine, its document, its file, and the work under way."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError
from dustpan.core.render.engine import Engine, bare_places
from dustpan.core.render.store import Stores
from dustpan.core.work.pool import Priority
from dustpan.ui.session.editing import Editing
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.pictures import KeptRoutes, Pictures
from dustpan.ui.session.tasks import Task, Tasks
from dustpan.ui.session.watch import Stamp
from dustpan.ui.widgets.configured import configured

_KEEP_PAUSE = 1500  # ms without a change before the route is kept for its file
_BUDGET = 256 << 20  # bytes of blocks that a window keeps


class OpenPicture(Editing):
    """Hold the open picture, or none, and run tasks on it.

    Signals
    -------
    opened : another picture is shown.
    offered(text, label, act) : something to say, and what the user can do about it.
    pointed : other places are said to be bare, so that the noise is measured anew.
    """

    opened = pyqtSignal()
    offered = pyqtSignal(str, str, object)
    pointed = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None, kept: KeptRoutes | None = None):
        super().__init__(parent)
        self.jobs = jobs
        self.tasks = Tasks(self)
        self.pictures = Pictures()
        self.kept = kept or KeptRoutes(None)
        self.stores = Stores.of(_BUDGET)
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # the state of its file when it was read
        self.engine: Engine | None = None
        self.visible = 1.0  # noise that proposals may leave, in units of what can just be seen
        self.safe: Document | None = None  # the document as it was exported, saved or opened last
        self._keeping = configured(QTimer(self), singleShot=True, interval=_KEEP_PAUSE)
        self._keeping.timeout.connect(self.keep_route)
        self.edited.connect(lambda dragging: None if dragging else self._keeping.start())
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
        return Document(self.route.original(mosaic=self.of_mosaic))

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

    def keep_route(self) -> None:
        """Keep the route for the picture's file while it is neither exported nor saved; forget it when it is."""
        self._keeping.stop()
        if self.path is not None and self.engine is not None:
            if self.changed:
                self.kept.keep(self.path, self.history.document.route)
            elif self.history.at:  # a picture just opened may still have a route to be offered
                self.kept.drop(self.path)

    def mark_safe(self, document: Document) -> None:
        """Take a document for exported or saved."""
        self.safe = document
        self.keep_route()
        self.edited.emit(False)

    def offer_kept_route(self) -> None:
        """Offer the route that was left behind for this file."""
        if self.path is None or self.engine is None or self.history.at:
            return
        route = self.kept.find(self.path)
        if route is None or route == self.route or (self.of_mosaic and route.mosaic_faults()):
            return
        steps = f"{len(route)} step{'s' if len(route) != 1 else ''}"
        text = f"A route of {steps} was left for this picture, not exported."
        self.offered.emit(text, "Restore it", partial(self._take_up, route))

    def _take_up(self, route: Route) -> None:
        self.edit(Document(route), "Restore the route left before")

    def run_task(self, task: Task, job: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Run the job of a task in the pool; the task ends with it, and a fault is told."""

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
        """End a task and tell its fault."""
        task.end()
        self.told.emit(str(fault), True)
