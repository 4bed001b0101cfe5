"""Saving what is worked on as a project, and taking it up from one."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QObject, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QWidget

from dustpan.core.document.work import Work
from dustpan.files.projects import (
    SUFFIX,
    Project,
    ProjectPicture,
    digest_of,
    find_by_content,
    load_project,
    save_project,
)
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import name_of
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.text import shown_name

_PROJECTS = f"Projects (*{SUFFIX})"


class ProjectFiles(QObject):
    """Exchange the pictures that are open together with project files; what goes wrong is reported and changes nothing.

    Signals
    -------
    loaded(project, faults) : its pictures are to be opened, and then what was wrong with it is reported.
    """

    loaded = pyqtSignal(object, str)

    def __init__(self, session: Session, memory: Memory, message: Message, window: QWidget):
        super().__init__(window)
        self.session, self.memory, self.message, self.window = session, memory, message, window
        self.path: Path | None = None  # of the project that is open

    # -- saving -----------------------------------------------------------------------------------------------

    def save(self) -> None:
        """Save to the file of the project, or ask for one."""
        if self.path is None:
            self.ask_save()
        else:
            self.save_to(self.path)

    def ask_save(self) -> None:
        """Ask for a file, and save there."""
        start = self.path or (self.session.path or Path("project")).with_suffix(SUFFIX)
        name, _ = QFileDialog.getSaveFileName(self.window, tr("Save project"), str(start), tr(_PROJECTS))
        if name:
            self.save_to(Path(name) if Path(name).suffix else Path(name + SUFFIX))

    def save_to(self, target: Path) -> None:
        """Save the pictures that are open together; their files are hashed in a worker."""
        session = self.session
        if session.path is None:
            self.message.tell(
                tr("A project holds pictures that are files; this one has none yet: export it first."), False
            )
            return
        paths = session.pictures.paths or [session.path.absolute()]
        works = [(path, self._work_on(path), self._preview(path)) for path in paths]
        shown = max(session.pictures.index(session.path), 0)
        document = session.history.document
        task = session.tasks.begin("project", tr("Saving {name}", name=shown_name(target)))

        def work() -> None:
            made = [ProjectPicture(path, digest_of(path), done, preview) for path, done, preview in works]
            task.token.check()
            save_project(target, Project(tuple(made), shown))

        def finish(_: object) -> None:
            self.path = target
            session.mark_safe(document)
            self.message.tell(tr("Saved {name}", name=shown_name(target, whole=True)), False)

        session.run_task(task, work, finish)

    def _work_on(self, path: Path) -> Work:
        """Return what was done to a picture: the open one, one that was left, or one that was never shown."""
        session = self.session
        if session.path is not None and path == session.path.absolute():
            document = session.history.document
            return Work(document, session.takes, session.chosen_id, document == session.safe, session.view())
        state, kept = session.pictures.state(path), session.kept.find(name_of(path))
        if state is None:
            return session.pictures.given.get(path) or kept or Work()
        document = state.history.document
        view = kept.view if kept is not None else {}
        return Work(document, state.takes, state.chosen_id, document == state.safe, view)

    def _preview(self, path: Path) -> bytes | None:
        image = self.session.kept.picture(name_of(path))
        return None if image is None else _png_of(image)

    # -- opening ----------------------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Read a project and have its pictures opened, each as it was left."""
        task = self.session.tasks.begin("project", tr("Opening {name}", name=shown_name(path)))
        self.session.run_task(task, partial(load_project, path), partial(self._take, path))

    def _take(self, path: Path, found: tuple[Project, list[str]]) -> None:
        project, faults = found
        missing = [picture.path for picture in project.pictures if not picture.path.is_file()]
        if missing and (folder := self._ask_folder(missing)) is not None:
            task = self.session.tasks.begin("project", tr("Looking for pictures that were moved"))
            self.session.run_task(
                task, partial(_found_again, project, folder), partial(self._show, path, faults=faults)
            )
            return
        self._show(path, project, faults=faults)

    def _ask_folder(self, missing: list[Path]) -> Path | None:
        """Ask where pictures are that are not at their place."""
        names = ", ".join(shown_name(path) for path in missing[:3]) + (" …" if len(missing) > 3 else "")
        name = QFileDialog.getExistingDirectory(self.window, tr("Where is {names}?", names=names))
        return Path(name) if name else None

    def _show(self, path: Path, project: Project, *, faults: list[str]) -> None:
        there = [picture for picture in project.pictures if picture.path.is_file()]
        gone = [picture for picture in project.pictures if picture not in there]
        words = [
            *faults,
            *(tr("{name} is not there any more.", name=shown_name(picture.path, whole=True)) for picture in gone),
        ]
        if not there:
            self.message.tell(" ".join(words), True)
            return
        self.path = path
        self.loaded.emit(project, " ".join(words))


def _found_again(project: Project, folder: Path) -> Project:
    """Return the project with its missing pictures where they lie under a folder."""

    def found(picture: ProjectPicture) -> ProjectPicture:
        if picture.path.is_file():
            return picture
        by_name = folder / picture.path.name
        place = by_name if by_name.is_file() else find_by_content(picture.digest, picture.path.suffix, folder)
        return picture if place is None else ProjectPicture(place, picture.digest, picture.work, picture.preview)

    return Project(tuple(found(picture) for picture in project.pictures), project.shown)


def _png_of(image: QImage) -> bytes | None:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    return buffer.data().data() if image.save(buffer, "PNG") else None
