"""Exporting the open picture as a task of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.batch.export import Also, export_picture
from dustpan.core.document.history import Document
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.files.save import FORMATS
from dustpan.ui.session.open_picture import OpenPicture
from dustpan.ui.translation import tr
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
        self,
        target: Path,
        format_name: str,
        *,
        quality: int,
        overwrite: bool,
        finish: Finish = NO_FINISH,
        also: Sequence[Also] = (),
        with_original: bool = False,
    ) -> None:
        """Render the whole picture and save it, whole or not at all.

        also : other files that are written beside it.
        with_original : see `export_picture`.
        """
        session, engine, path = self.session, self.session.engine, self.session.path
        document, name = session.document, session.kept_name
        if engine is None:
            return
        task = session.tasks.begin(
            "exporting", tr("Exporting {name}", name=shown_name(target)), alone=False, loses=True
        )

        files = [(target, FORMATS[format_name], finish)]
        files += [(each.beside(target), FORMATS[each.format], Finish(each.size, finish.viewing)) for each in also]

        def report(number: int, share: float) -> None:
            task.report((number + share) / len(files))

        def work() -> tuple[str, ...]:
            plan, unwritten = engine.plan(document, check=task.token.check), list[str]()
            for number, (file, fmt, finished) in enumerate(files):
                unwritten += export_picture(
                    engine,
                    plan,
                    file,
                    fmt,
                    quality=quality,
                    finish=finished,
                    overwrite=overwrite,
                    sources=(path,) if path else (),
                    pool=session.jobs.pool,
                    token=task.token,
                    progress=partial(report, number),
                    with_original=with_original,
                )
            return tuple(dict.fromkeys(unwritten))

        def tell(unwritten: tuple[str, ...]) -> None:
            if not FORMATS[format_name].raw:  # a mended mosaic holds but a part of the route
                self._mark_written(path, name, document)
            others = "".join(f", {file.name}" for file, *_ in files[1:])
            session.told.emit(
                " ".join((tr("Saved {name}{others}.", name=shown_name(target, whole=True), others=others), *unwritten)),
                False,
            )
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
