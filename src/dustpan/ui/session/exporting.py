"""Exporting the open picture as a task of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.batch.export import export_picture
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
        document = session.document
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
            if session.path == path:
                session.mark_safe(document)
            session.told.emit(" ".join((f"Saved {shown_name(target, whole=True)}.", *unwritten)), False)
            self.saved.emit(str(target))

        session.conduct_task(task, work, tell)
