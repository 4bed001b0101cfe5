"""Long work under way: each its own, with a text, a share done, a way to cancel it and an end."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.work.pool import Token

_FORESEEABLE = 0.08  # share done from which the time left is told
_LEAST_TOLD = 2.0  # s


@dataclass(eq=False)
class Task:
    """One piece of long work.

    kind : opening, measuring, exporting or preparing; at most one of a kind is under way, except exports. share : 0
    to 1, or -1 while it is not known. loses : whether closing the window would lose its result.
    """

    kind: str
    text: str
    token: Token = field(default_factory=Token)
    share: float = -1.0
    loses: bool = False
    begun: float = field(default_factory=time.monotonic)

    @property
    def left(self) -> str:
        """Words for the time left, or nothing while it can't be told."""
        if self.share < _FORESEEABLE:
            return ""
        seconds = (time.monotonic() - self.begun) * (1 / self.share - 1)
        if seconds < _LEAST_TOLD:
            return ""
        return f"{seconds:.0f} s left" if seconds < 100 else f"{seconds / 60:.0f} min left"


class Tasks(QObject):
    """All long work of a window. Threads may report progress; the rest belongs to the window's thread.

    cancelled(task) : a task was stopped before its end.
    """

    changed = pyqtSignal()
    cancelled = pyqtSignal(object)
    _progress = pyqtSignal(object, float)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self.running: list[Task] = []
        self._progress.connect(self._take_progress)

    def begin(self, kind: str, text: str, *, alone: bool = True, loses: bool = False) -> Task:
        """Begin a task; one of the same kind that is under way is cancelled, unless they may go side by side."""
        if alone:
            for task in [task for task in self.running if task.kind == kind]:
                self.cancel(task)
        task = Task(kind, text, loses=loses)
        self.running.append(task)
        self.changed.emit()
        return task

    def report(self, task: Task, share: float) -> None:
        """Say how far a task is, from any thread."""
        self._progress.emit(task, share)

    def end(self, task: Task) -> None:
        """Take a task off the list; it has come to its end."""
        if task in self.running:
            self.running.remove(task)
            self.changed.emit()

    def cancel(self, task: Task) -> None:
        """Stop a task; everything stays as it was."""
        task.token.cancel()
        self.end(task)
        self.cancelled.emit(task)

    def cancel_all(self) -> None:
        """Stop everything."""
        for task in list(self.running):
            self.cancel(task)

    def find(self, kind: str) -> Task | None:
        """Return the task of a kind that is under way, or None."""
        return next((task for task in self.running if task.kind == kind), None)

    def _take_progress(self, task: Task, share: float) -> None:
        if task in self.running:
            task.share = share
            self.changed.emit()
