"""Exporting the open picture as a task of its own."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.batch.export import export_picture
from dustpan.core.document.history import Document
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.files.save import FORMATS
from dustpan.ui.session.open_picture import OpenPicture
from dustpan.ui.widgets.text import shown_name


class Exporting(QObject):
    """Export a session's picture; several exports follow one another.

    Signals
    -------
    saved(path) : a file was written.
    """

    saved = pyqtSignal(str)

    def __init__(self, session: OpenPicture):
        super().__init__(session)
        self.session = session

    def export(
        self, target: Path, format_name: str, *, quality: int, overwrite: bool, finish: Finish = NO_FINISH
    ) -> None:
        """Render the whole picture and save it, whole or not at all."""
        session, engine, path = self.session, self.session.engine, self.session.path
        document, name = session.document, session.kept_name
        if engine is None:
            return
        task = session.tasks.begin("exporting", f"Exporting {shown_name(target)}", alone=False, loses=True)

        def work() -> tuple[str, ...]:
            return export_picture(
                engine,
                engine.plan(document, check=task.token.check),
                target,
                FORMATS[format_name],
                quality=quality,
                finish=finish,
                overwrite=overwrite,
                sources=(path,) if path else (),
                pool=session.jobs.pool,
                token=task.token,
                progress=task.report,
            )

        def tell(unwritten: tuple[str, ...]) -> None:
            if not FORMATS[format_name].raw:  # a mended mosaic holds but a part of the route
                self._mark_written(path, name, document)
            session.told.emit(" ".join((f"Saved {shown_name(target, whole=True)}.", *unwritten)), False)
            self.saved.emit(str(target))

        session.conduct_task(task, work, tell)

    def _mark_written(self, path: Path | None, name: str | None, document: Document) -> None:
        """Note that a document was written, also when another picture is open by now."""
        session = self.session
        if session.path == path and session.kept_name == name:
            session.mark_safe(document)
            return
        if path is not None:
            session.pictures.mark_safe(path, document)
        if name is not None and (work := session.kept.find(name)) is not None and work.route == document.route:
            session.kept.keep(name, replace(work, written=True))
