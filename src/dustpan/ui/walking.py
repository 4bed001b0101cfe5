"""Opening pictures together and walking through them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from dustpan.core.document.work import Work
from dustpan.core.picture.source import Source
from dustpan.files import ENDINGS, READS
from dustpan.files.folders import pictures_in
from dustpan.files.projects import SUFFIX, Project
from dustpan.ui.memory import Memory
from dustpan.ui.session.left_open import Left
from dustpan.ui.session.opening import SAMPLE
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message

_ENDINGS = " ".join(f"*{ending} *{ending.upper()}" for ending in ENDINGS)
_FILTER = f"Pictures and projects ({READS}) ({_ENDINGS} *{SUFFIX});;All files (*)"


class Walking(QObject):
    """Open pictures together; the first is shown, and PgDn and PgUp walk through them.

    Signals
    -------
    changed : another picture is shown, or one was found to be broken.
    project(path) : a project is to be opened.
    frames(paths) : files of a sample are to be combined.
    """

    changed = pyqtSignal()
    project = pyqtSignal(object)
    frames = pyqtSignal(object)

    def __init__(self, session: Session, memory: Memory, message: Message, window: QWidget):
        super().__init__(window)
        self.session, self.memory, self.message, self.window = session, memory, message, window
        self._direction = 1  # in which a broken picture is passed over
        self._going: Path | None = None  # the picture that is being gone to
        #: Returns what looks at another picture as at this one.
        self.keep_look: Callable[[], Callable[[], None]] = lambda: lambda: None
        self.recent_menu = QMenu(tr("Recent"), window)
        self.recent_menu.aboutToShow.connect(self._list_recent)
        session.opening.unreadable.connect(self._pass_over)

    def ask(self) -> None:
        """Ask for pictures and open them."""
        folder = str(self.session.path.parent) if self.session.path else ""
        names, _ = QFileDialog.getOpenFileNames(self.window, tr("Open pictures"), folder, tr(_FILTER))
        if names:
            self.open([Path(name) for name in names])

    def open(self, paths: list[Path], *, read: Callable[[], Source] | None = None) -> None:
        """Open pictures together; a folder stands for the pictures in it.

        Parameters
        ----------
        read : returns the first picture, when it is being read already.
        """
        projects = [path for path in paths if path.suffix.lower() == SUFFIX]
        if projects:
            self.project.emit(projects[0])
            return
        paths = [picture for path in paths for picture in pictures_in(path)]
        if not paths:
            self.message.tell(tr("There is no picture in it that can be read."), False)
            return
        self.session.pictures.take(paths)
        self._direction = 1
        self._open(paths[0].absolute(), read)

    def open_project(self, project: Project, told: str = "") -> None:
        """Open the pictures of a project that are there, each as it was left; then report what was wrong with it."""
        there = [picture for picture in project.pictures if picture.path.is_file()]
        shown = project.pictures[project.shown]
        works = {picture.path: picture.work for picture in there}
        self.open_with(list(works), works, shown=shown.path if shown in there else None, told=told)

    def open_with(
        self, paths: list[Path], works: dict[Path, Work], *, shown: Path | None = None, told: str = ""
    ) -> None:
        """Open pictures together, each with work of its own.

        shown : the one to begin with; the first by default.
        told : a fault that is reported once it is shown.
        """
        pictures = self.session.pictures
        pictures.take(paths)
        pictures.give(works)
        self._direction = 1
        self._open((shown or paths[0]).absolute(), told=told)

    @property
    def left(self) -> Left:
        """What is open, as it is noted for the case that the window is killed."""
        path, name = self.session.path, self.session.kept_name or ""
        sample = name.removeprefix(SAMPLE) if path is None and name.startswith(SAMPLE) else ""
        return Left(tuple(self.session.pictures.paths), path.absolute() if path else None, sample)

    def open_left(self, left: Left) -> None:
        """Open again what a window had open that ended without closing."""
        if left.sample:
            self.open_sample(left.sample)
        else:
            self.open_with(list(left.paths), {}, shown=left.shown)

    def open_sample(self, scene: str) -> None:
        """Open a demo scene and propose a route for it; one of many pictures is written into the user's cache first."""
        from dustpan.simulate.samples import sample_picture
        from dustpan.simulate.series import SERIES

        session = self.session
        if scene in SERIES:
            self._open_series(scene, SERIES[scene].frames)
            return
        session.pictures.take([])

        def propose() -> None:
            if not any(not step.develops for step in session.route) and session.waiting is None:
                session.measuring.propose()

        session.opening.open_from(partial(sample_picture, scene), scene, sample=scene, then=propose)

    def _open_series(self, scene: str, frames: bool) -> None:
        """Write a sample of many pictures, where it is not there yet, and open them together."""
        from dustpan.simulate.series import cache_folder, write_series

        task = self.session.tasks.begin("sample", tr("Drawing the sample {scene}", scene=scene))

        def draw() -> list[Path]:
            return write_series(scene, cache_folder(scene), missing_only=True, progress=report)

        def report(share: float) -> None:
            task.token.check()
            task.report(share)

        then = self.frames.emit if frames else self.open
        self.session.conduct_task(task, draw, then)

    def go(self, direction: int) -> None:
        """Go to the next (1) or the previous (-1) picture."""
        begun = self._going if self.session.opening.under_way else None
        neighbour = self.session.pictures.neighbour(begun or self.session.path, direction)
        if neighbour is not None:
            self._direction, self._going = direction, neighbour
            look_again = self.keep_look()
            self._open(neighbour, then=look_again)

    def go_to(self, path: Path) -> None:
        """Go to one of the pictures opened together."""
        shown = self.session.path.absolute() if self.session.path else None
        if path != shown and self.session.pictures.index(path) >= 0:
            self._going = path
            self._open(path, then=self.keep_look())

    def enable(self, following: QAction, preceding: QAction) -> None:
        """Enable the actions that go to a picture where there is one."""
        for action, direction in ((following, 1), (preceding, -1)):
            action.setEnabled(self.session.pictures.neighbour(self.session.path, direction) is not None)

    @property
    def position(self) -> str:
        """Which of several pictures is shown, in words, or empty."""
        pictures = self.session.pictures
        index = pictures.index(self.session.path)
        return (
            tr("{number} of {count}", number=index + 1, count=len(pictures.paths))
            if index >= 0 and len(pictures.paths) > 1
            else ""
        )

    def _open(
        self,
        path: Path,
        read: Callable[[], Source] | None = None,
        then: Callable[[], None] = lambda: None,
        told: str = "",
    ) -> None:
        def opened() -> None:
            then()
            self._note(path)
            if told:
                self.message.tell(told, True)

        self.session.opening.open(path, read=read, then=opened)

    def _note(self, path: Path) -> None:
        """Remember a picture that was opened; where others wait, say how to get to them."""
        self.memory.add_recent([path])
        self.changed.emit()
        count = len(self.session.pictures.paths)
        if count > 1 and not self.memory.get("told_walking", False):
            self.memory.put("told_walking", True)
            self.message.tell(tr("{count} pictures were opened; PgDn and PgUp walk through them.", count=count), False)

    def _pass_over(self, path: Path) -> None:
        """Leave out a picture that can't be read, and go on to the next one in the same direction."""
        pictures = self.session.pictures
        if pictures.index(path) < 0 or len(pictures.paths) < 2:
            return
        pictures.broken.add(path.absolute())
        neighbour = pictures.neighbour(path, self._direction) or pictures.neighbour(path, -self._direction)
        if neighbour is not None and neighbour != (self.session.path and self.session.path.absolute()):
            fault = self.message.text.text()

            def tell_again() -> None:
                self._note(neighbour)
                self.message.tell(fault, True)

            self.session.opening.open(neighbour, then=tell_again)
        self.changed.emit()

    def _list_recent(self) -> None:
        self.recent_menu.clear()
        for name in self.memory.recent:
            self.recent_menu.addAction(name, lambda name=name: self.open([Path(name)]))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction(tr("nothing yet")).setEnabled(False)
