"""Saving the route as a remedy file, and taking the route of one."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from dustpan.core.document.remedy import Remedy, unmet_wishes
from dustpan.core.errors import DustpanError
from dustpan.files.remedies import load_remedy, ready_made, save_remedy
from dustpan.ui.memory import Memory
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.text import shown_name

_REMEDIES = "Remedies (*.json);;All files (*)"


class RemedyFiles(QObject):
    """Exchange a session's route with remedy files; what goes wrong is reported and changes nothing."""

    def __init__(self, session: Session, memory: Memory, message: Message, window: QWidget):
        super().__init__(window)
        self.session, self.memory, self.message, self.window = session, memory, message, window

    def ask_save(self) -> None:
        """Ask for a file, and save the route."""
        engine = self.session.engine
        if engine is None:
            return
        facts = engine.source.metadata
        folder = Path(self.memory.get("remedy_folder", str(Path.home())))
        start = folder / f"{facts.camera or 'route'} ISO {facts.iso or ''}".strip()
        name, _ = QFileDialog.getSaveFileName(self.window, tr("Save route as remedy"), f"{start}.json", tr(_REMEDIES))
        if name:
            self.save(Path(name) if Path(name).suffix else Path(name + ".json"))

    def current(self, name: str = "") -> Remedy | None:
        """Return the open picture's route with what was measured on it, or None without a picture."""
        engine = self.session.engine
        if engine is None:
            return None
        given = self.session.document.noise
        return Remedy(
            self.session.route,
            scaling="measured" if given is None else "fixed",
            name=name,
            camera=engine.source.metadata.camera,
            iso=engine.source.metadata.iso,
            made_on={"noise": given or engine.noise.to_json(), "picture": engine.source.key},
        )

    def save(self, path: Path) -> None:
        """Save the route with what was measured on the picture."""
        remedy = self.current(path.stem)
        if remedy is None:
            return
        try:
            save_remedy(path, remedy, overwrite=True)  # the file dialog has asked
        except DustpanError as fault:
            self.message.tell(str(fault), True)
            return
        self.memory.put("remedy_folder", str(path.parent))
        self.session.mark_safe(self.session.history.document)
        self.message.tell(tr("Saved {name}", name=shown_name(path, whole=True)), False)

    def ask_apply(self) -> None:
        """Ask for a remedy and take its route."""
        folder = self.memory.get("remedy_folder", str(Path.home()))
        name, _ = QFileDialog.getOpenFileName(self.window, tr("Apply remedy"), folder, tr(_REMEDIES))
        if name:
            self.apply(Path(name))

    def apply(self, path: Path) -> None:
        """Take the route of a remedy file."""
        try:
            remedy = load_remedy(path)
        except DustpanError as fault:
            self.message.tell(str(fault), True)
            return
        self.memory.put("remedy_folder", str(path.parent))
        self.take(remedy, path.stem)

    def fill_ready_menu(self, menu: QMenu) -> None:
        """Add a route for each need that comes with the program."""
        menu.setToolTipsVisible(True)
        for name, remedy in ready_made().items():
            action = menu.addAction(tr(name), partial(self.take, remedy, name))
            assert action is not None
            action.setToolTip(tr(remedy.note))

    def take(self, remedy: Remedy, name: str) -> None:
        """Take the route of a remedy for the open picture."""
        engine = self.session.engine
        if engine is None:
            self.message.tell(tr("Open a picture first."), False)
            return
        noise = remedy.document.noise
        self.session.apply(
            remedy.route_for(engine.source.key), tr("Apply {remedy}", remedy=remedy.name or name), noise=noise
        )
        said = unmet_wishes(remedy)
        if noise is not None:
            said.append(tr("The remedy's own noise is used; Clean noise can measure it in this picture instead."))
        if said:
            self.message.tell(" ".join(said), False)
