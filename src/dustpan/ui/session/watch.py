"""Notice when the file behind the picture changes or goes, and say so once."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal

from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured

_SETTLED = 400  # ms without another change: a file is written in many pieces

Stamp = tuple[int, int]  # time of the last change in ns, size in bytes


def stamp_of(path: Path) -> Stamp | None:
    """Return what differs between two states of a file, or None when it can't be reached."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size


class FileWatch(QObject):
    """Follow one file; told(text) says plainly what became of it."""

    told = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._path: Path | None = None
        self._stamp: Stamp | None = None
        self._watcher = QFileSystemWatcher(self)
        self._settle = configured(QTimer(self), singleShot=True, interval=_SETTLED)
        self._settle.timeout.connect(self.check)
        self._watcher.fileChanged.connect(lambda _: self._settle.start())
        self._watcher.directoryChanged.connect(lambda _: self._settle.start())

    def follow(self, path: Path | None, stamp: Stamp | None) -> None:
        """Follow a file from the state in which it was read; None follows nothing."""
        self._settle.stop()
        if watched := [*self._watcher.files(), *self._watcher.directories()]:
            self._watcher.removePaths(watched)
        self._path, self._stamp = path, stamp
        if path is not None:
            # The folder too: a file that is replaced by another of its name is no longer followed itself.
            self._watcher.addPaths([str(path.absolute()), str(path.absolute().parent)])
            self._settle.start()

    def check(self) -> None:
        """Say what has become of the file since it was last looked at."""
        if self._path is None or (now := stamp_of(self._path)) == self._stamp:
            return
        self._stamp = now
        name = self._path.name
        if now is None:
            self.told.emit(
                tr(
                    "{name} is no longer at {folder}. The picture is held here and can be exported.",
                    name=name,
                    folder=self._path.parent,
                )
            )
            return
        self._watcher.addPath(str(self._path.absolute()))
        self.told.emit(tr("{name} has changed since it was opened. F5 reads it again and keeps the route.", name=name))

    def stop(self) -> None:
        """Follow nothing any more."""
        self.follow(None, None)
