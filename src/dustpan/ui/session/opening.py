"""Opening pictures: reading beside the window, a quick preview, and the state in which each was left."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.document.history import Document, History
from dustpan.core.document.route import Route
from dustpan.core.document.work import Work
from dustpan.core.errors import DustpanError
from dustpan.core.kernels.warm import is_warm
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.files import read_picture, read_preview
from dustpan.ui.session.kept import name_of
from dustpan.ui.session.open_picture import TAKEN_UP, OpenPicture
from dustpan.ui.session.pictures import PictureState
from dustpan.ui.session.tasks import Task
from dustpan.ui.session.watch import stamp_of
from dustpan.ui.translation import tr
from dustpan.ui.widgets.text import shown_name

SAMPLE = "sample "  # leads the name under which the work on a sample is kept


class Opening(QObject):
    """Open pictures into a session; on failure everything stays as it was.

    Signals
    -------
    previewed(pixels and full size, or None) : a small preview of what is being opened is there.
    unreadable(path) : a file could not be opened.
    """

    previewed = pyqtSignal(object)
    unreadable = pyqtSignal(object)

    def __init__(self, session: OpenPicture):
        super().__init__(session)
        self.session = session

    @property
    def under_way(self) -> bool:
        """Whether a picture is being opened."""
        return self.session.tasks.find("opening") is not None

    def open(
        self, path: Path, *, read: Callable[[], Source] | None = None, then: Callable[[], None] = lambda: None
    ) -> None:
        """Open a picture file.

        Parameters
        ----------
        read : returns the picture, where it is being read already.
        then : called when it is shown.
        """
        self.open_from(read or partial(read_picture, path), shown_name(path), path=path, then=then)
        self._start_preview(path)

    def reread(self) -> None:
        """Read the picture's file again and keep the route and its history."""
        path = self.session.path
        if path is not None:
            self.open_from(partial(read_picture, path), shown_name(path), path=path, keep=True)

    def open_from(
        self,
        read: Callable[[], Source],
        name: str,
        *,
        path: Path | None = None,
        sample: str = "",
        keep: bool = False,
        then: Callable[[], None] = lambda: None,
    ) -> None:
        """Open a picture from a function that makes it.

        Parameters
        ----------
        name : what the user reads while it is opened.
        path : its file, if it has one.
        sample : its name among the samples, whose work is kept like that on files.
        keep : the route, its history and the takes go on, when the new picture is of the same kind.
        then : called when it is shown.
        """
        session = self.session
        task = session.tasks.begin("opening", tr("Opening {name}", name=name))
        task.cancelled.connect(lambda: self.previewed.emit(None))
        stamp = stamp_of(path) if path is not None else None

        def finish(engine: Engine) -> None:
            task.end()
            self._leave()
            alike = session.engine is not None and session.of_mosaic == (engine.source.mosaic is not None)
            session.engine, session.path, session.stamp = engine, path, stamp
            session.kept_name = f"{SAMPLE}{sample}" if sample else name_of(path) if path is not None else None
            session.drop_plan()
            view = None if keep and alike else self._begin(engine.source, name, path)
            session.opened.emit()
            for message in engine.source.messages:
                session.told.emit(message, False)
            session.offer_work()
            if view is not None:
                session.restored.emit(view)
            then()

        def fail(fault: DustpanError) -> None:
            self.previewed.emit(None)
            session.fail_task(task, fault)
            if path is not None:
                self.unreadable.emit(path)

        make = partial(self._make_engine, read)
        session.jobs.run(make, finish, priority=Priority.VIEW, token=task.token, failed=fail)

    def _make_engine(self, read: Callable[[], Source]) -> Engine:
        """Read a picture and make its overview, in a worker."""
        session = self.session
        engine = Engine(read(), stores=session.stores, pool=session.jobs.pool, visible=session.visible)
        engine.base.read((0, 0, 1, 1), engine.base.overview_level)
        return engine

    def _leave(self) -> None:
        """Keep what was done to the picture that is left."""
        session = self.session
        if session.engine is not None:
            session.keep_work()
        if session.engine is not None and session.path is not None:
            state = PictureState(session.history, session.takes, session.chosen_id, session.safe)
            session.pictures.leave(session.path, state)

    def _begin(self, source: Source, name: str, path: Path | None) -> Mapping[str, Any] | None:
        """Begin a picture's history, or take it up where it was left; return how it was looked at then."""
        session, mosaic = self.session, source.mosaic is not None
        first = Document(Route().original(mosaic=mosaic))
        given = session.pictures.given.pop(path.absolute(), None) if path is not None else None
        state = session.pictures.state(path) if path is not None and given is None else None
        session.waiting, view = None, None
        if state is None or (mosaic and state.history.document.route.mosaic_faults()):
            history = History.start(first, tr("Open {name}", name=name))
            state, work = PictureState(history, safe=first), self._suiting(given, mosaic) or self._kept(mosaic)
            if work is not None and (session.takes_up or work is given):
                left = work.document
                safe = left if work.written else first
                state = PictureState(history.record(left, TAKEN_UP), dict(work.takes), work.chosen_id, safe)
                view = work.view
            else:
                session.waiting = work
        session.begin(state.history, state.takes, state.chosen_id)
        session.safe = state.safe
        return view

    def _kept(self, mosaic: bool) -> Work | None:
        """Return the work kept for the picture that is begun, where it suits it."""
        name = self.session.kept_name
        return self._suiting(self.session.kept.find(name) if name is not None else None, mosaic)

    @staticmethod
    def _suiting(work: Work | None, mosaic: bool) -> Work | None:
        if work is None or not (mosaic and work.route.mosaic_faults()):
            return work
        fitted = work.route.fitted(mosaic=True, develop=Route())  # it may have come from a picture of another kind
        return None if fitted.mosaic_faults() else replace(work, document=replace(work.document, route=fitted))

    # -- a preview ---------------------------------------------------------------------------------------------

    def _start_preview(self, path: Path) -> None:
        task = self.session.tasks.find("opening")
        if task is not None:
            self.session.jobs.run(
                partial(read_preview, path),
                partial(self._show_preview, task),
                priority=Priority.VIEW_DRAFT,
                token=task.token,
                failed=lambda fault: None,
            )

    def _show_preview(self, task: Task, found: object) -> None:
        """Show a preview, unless the picture itself is there already."""
        if not task.over and found is not None:
            self.previewed.emit(found)

    # -- before the first picture -----------------------------------------------------------------------------

    def prepare(self, then: Callable[[], None]) -> None:
        """Compile the kernels in a process of their own when they are not yet, then go on."""
        if is_warm():
            then()
            return
        task = self.session.tasks.begin("preparing", tr("Preparing the numerics for this machine (once)"))
        self.session.conduct_task(task, partial(_compile_kernels, task.token), lambda _: then())


def _compile_kernels(token: Token) -> None:
    """Compile in a process of its own, which ends at once when it is cancelled."""
    process = subprocess.Popen([sys.executable, "-m", "dustpan.core.kernels.warm"])
    try:
        while process.poll() is None:
            token.check()
            time.sleep(0.1)
    finally:
        process.terminate()
