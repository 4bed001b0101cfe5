"""Long work under way: each task an object with a text, its progress, a way to cancel it and its own end."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.work.cancel import Token
from dustpan.ui.translation import tr

_FORESEEABLE = 0.08  # share done from which the time left is estimated
_LEAST_TOLD = 2.0  # s


class Task(QObject):
    """One piece of long work.

    Parameters
    ----------
    kind : opening, measuring, exporting or preparing; at most one of a kind is under way, except exports.
    text : what the user reads.
    loses : whether closing the window would lose its result.

    Attributes
    ----------
    token : cancels the work.
    share : 0 to 1, or -1 while it is not known.
    """

    changed = pyqtSignal()
    ended = pyqtSignal()
    cancelled = pyqtSignal()
    _reported = pyqtSignal(float)

    def __init__(self, kind: str, text: str, *, loses: bool = False, parent: QObject | None = None):
        super().__init__(parent)
        self.kind, self.text, self.loses = kind, text, loses
        self.token = Token()
        self.share = -1.0
        self.over = False
        self._begun = time.monotonic()
        self._reported.connect(self._take_share)

    def report(self, share: float) -> None:
        """Say how far the work is, from any thread."""
        self._reported.emit(share)

    def end(self) -> None:
        """Say that the work has come to its end."""
        if not self.over:
            self.over = True
            self.ended.emit()

    def cancel(self) -> None:
        """Stop the work; everything stays as it was."""
        if not self.over:
            self.token.cancel()
            self.end()
            self.cancelled.emit()

    @property
    def time_left(self) -> str:
        """Words for the time left, or empty while it is not known."""
        if self.share < _FORESEEABLE:
            return ""
        seconds = (time.monotonic() - self._begun) * (1 / self.share - 1)
        if seconds < _LEAST_TOLD:
            return ""
        return (
            tr("{seconds:.0f} s left", seconds=seconds)
            if seconds < 100
            else tr("{minutes:.0f} min left", minutes=seconds / 60)
        )

    def _take_share(self, share: float) -> None:
        if not self.over:
            self.share = share
            self.changed.emit()


class Tasks(QObject):
    """All long work of a window.

    Signals
    -------
    changed : a task was begun, has ended or has made progress.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self.running: list[Task] = []

    def begin(self, kind: str, text: str, *, alone: bool = True, loses: bool = False) -> Task:
        """Begin a task; one of the same kind that is under way is cancelled, unless they may go side by side."""
        if alone and (older := self.find(kind)) is not None:
            older.cancel()
        task = Task(kind, text, loses=loses, parent=self)
        task.changed.connect(self.changed)
        task.ended.connect(lambda: self._take_off(task))
        self.running.append(task)
        self.changed.emit()
        return task

    def cancel_all(self) -> None:
        """Stop everything."""
        for task in list(self.running):
            task.cancel()

    def find(self, kind: str) -> Task | None:
        """Return the task of a kind that is under way, or None."""
        return next((task for task in self.running if task.kind == kind), None)

    def _take_off(self, task: Task) -> None:
        self.running.remove(task)
        task.deleteLater()
        self.changed.emit()
