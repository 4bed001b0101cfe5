"""The windows that stand beside the main one, and what they hand to it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from dustpan.batch.frames import Result, source_of
from dustpan.core.document.route import Route
from dustpan.core.document.work import Work
from dustpan.ui.batch.window import BatchWindow
from dustpan.ui.frames.window import FramesWindow
from dustpan.ui.memory import Memory
from dustpan.ui.remedy_files import RemedyFiles
from dustpan.ui.session.session import Session
from dustpan.ui.walking import Walking


class Beside(QObject):
    """Make each window when it is first asked for, and keep it."""

    def __init__(self, session: Session, walking: Walking, remedies: RemedyFiles, memory: Memory, window: QWidget):
        super().__init__(window)
        self.session, self.walking, self.remedies, self.memory = session, walking, remedies, memory
        self.window = window
        self.frames: FramesWindow | None = None
        self.batch: BatchWindow | None = None

    @property
    def under_way(self) -> list[str]:
        """What would be lost by closing."""
        return ["The batch"] if self.batch is not None and self.batch.queue.running else []

    def show_frames(self) -> FramesWindow:
        """Open the workspace that makes one picture of many exposures."""
        if self.frames is None:
            self.frames = FramesWindow(self.session.jobs, self.window)
            self.frames.made.connect(self._open_combined)
        self.frames.show()
        self.frames.raise_()
        return self.frames

    def _open_combined(self, result: Result) -> None:
        name, propose = f"{len(result.used)} frames combined", self.session.measuring.propose
        self.session.opening.open_from(partial(source_of, result), name, then=propose)
        self.window.raise_()

    def show_batch(self) -> BatchWindow:
        """Open the window that gives one route to many pictures, with those that are open together."""
        if self.batch is None:
            self.batch = BatchWindow(self.session.jobs.pool, self.memory, self.window)
            self.batch.walked.connect(self._walk_through)
            self.session.edited.connect(self._give_route)
            self.session.opened.connect(self._give_route)
            if len(self.session.pictures.paths) > 1:
                self.batch.add(self.session.pictures.paths)
        self.batch.take_current(self.remedies.current())
        self.batch.show()
        self.batch.raise_()
        return self.batch

    def _give_route(self, dragging: bool = False) -> None:
        """Keep the batch at the route of the open picture."""
        if self.batch is not None and self.batch.isVisible() and not dragging and not self.batch.queue.running:
            self.batch.take_current(self.remedies.current())

    def _walk_through(self, paths: list[Path], routes: dict[Path, Route]) -> None:
        """Show results of a batch: each picture with the route that made it."""
        self.walking.open_with(paths, {path: Work(route, written=True) for path, route in routes.items()})
        self.window.raise_()

    def end(self) -> None:
        """Stop what they do, and close them."""
        if self.batch is not None:
            self.batch.end()
        for window in (self.batch, self.frames):
            if window is not None:
                window.close()
