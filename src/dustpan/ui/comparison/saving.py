"""Asking for the file of a comparison, and having it made."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from dustpan.ui.comparison.content import gather
from dustpan.ui.comparison.page import OVERVIEW, save_page
from dustpan.ui.judging.proofs import Proofs
from dustpan.ui.memory import Memory
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.text import shown_name

_FILES = "PNG picture (*.png);;PDF page (*.pdf)"
_SHOWN = 5  # proofs


class Comparison(QObject):
    """Save one page with the open picture before and after."""

    def __init__(self, proofs: Proofs, memory: Memory, message: Message, window: QWidget):
        super().__init__(window)
        self.proofs, self.session = proofs, proofs.session
        self.memory, self.message, self.window = memory, message, window

    def ask(self) -> None:
        """Ask for a file, and save there."""
        engine, path = self.session.engine, self.session.path
        if engine is None:
            return
        folder = Path(self.memory.get("comparison_folder", str(path.parent if path else Path.home())))
        stem = path.stem if path else engine.source.name
        start = folder / f"{stem}-comparison.png"
        name, chosen = QFileDialog.getSaveFileName(self.window, tr("Save a comparison"), str(start), tr(_FILES))
        if name:
            file = Path(name)
            ending = ".pdf" if "pdf" in chosen else ".png"
            self.save(file if file.suffix.lower() in (".png", ".pdf") else file.with_name(file.name + ending))

    def save(self, file: Path) -> None:
        """Render, judge and write the page in a worker; a picture that is open is never written to."""
        session, engine = self.session, self.session.engine
        if engine is None:
            return
        task = session.tasks.begin("comparing", tr("Making {name}", name=shown_name(file)), loses=True)
        places, check = self.proofs.items[:_SHOWN], task.token.check
        document, original = session.document, session.original
        sources = [path for path in (session.path, *session.pictures.paths) if path is not None]

        def work() -> None:
            content = gather(engine, document, original, places, room=OVERVIEW, check=check)
            save_page(file, content, sources=sources, check=check)

        session.conduct_task(task, work, lambda _: self._tell(file))

    def _tell(self, file: Path) -> None:
        self.memory.put("comparison_folder", str(file.parent))
        self.message.tell(tr("Saved {name}.", name=shown_name(file, whole=True)), False)
