"""The main window: header, route, controls, picture and the bar below it."""

from __future__ import annotations

from pathlib import Path

import qtawesome
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from dustpan.core.pool import Pool
from dustpan.files import READS
from dustpan.ui import theme
from dustpan.ui.canvas import Canvas
from dustpan.ui.controls import Controls
from dustpan.ui.export import ExportDialog
from dustpan.ui.jobs import Jobs
from dustpan.ui.messages import Message
from dustpan.ui.route_bar import RouteBar
from dustpan.ui.session import Session
from dustpan.ui.tiles import Tiles

_FILTER = (
    f"Pictures ({READS}) (*.jpg *.jpeg *.png *.tif *.tiff *.webp *.JPG *.JPEG *.PNG *.TIF *.TIFF *.WEBP);;All files (*)"
)


class Window(QMainWindow):
    """One window for one picture."""

    closed = pyqtSignal()

    def __init__(self, pool: Pool | None = None):
        super().__init__()
        self.setWindowTitle("Dustpan")
        self.resize(1280, 800)
        self.setMinimumSize(900, 600)
        self.jobs = Jobs(pool or Pool(yielding=True), self)
        self.session = Session(self.jobs, self)
        self.tiles = Tiles(self.session, self)
        self.canvas = Canvas(self.tiles)
        self.controls = Controls(self.session)
        self.route_bar = RouteBar(self.session)
        self.actions_: dict[str, QAction] = {}
        self._make_actions()
        self._lay_out()
        self.message = Message(self.canvas)
        self._connect()
        self._refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        session, canvas = self.session, self.canvas
        table = (
            ("File", "open", "Open …", "Ctrl+O", self.ask_open, "Open a picture"),
            ("File", "export", "Export …", "Ctrl+E", self.ask_export, "Render the whole picture and save it as a new file"),
            ("File", "quit", "Quit", "Ctrl+Q", self.close, "Close the window"),
            ("Edit", "undo", "Undo", "Ctrl+Z", session.undo, "Take the last change back"),
            ("Edit", "redo", "Redo", "Ctrl+Shift+Z", session.redo, "Do it again"),
            ("Route", "propose", "Propose a route", "Ctrl+P", session.propose, "Measure the picture and lay out the steps it needs"),
            ("Route", "switch", "Step on or off", "X", lambda: self._with_step(session.switch_step), "Turn the chosen step on or off"),
            ("Route", "previous", "Previous step", ",", lambda: self._walk(-1), "Choose the step before"),
            ("Route", "next", "Next step", ".", lambda: self._walk(1), "Choose the step after"),
            ("Route", "earlier", "Move step earlier", "Ctrl+Left", lambda: self._with_step(session.move_step, -1), "Move the chosen step to the left"),
            ("Route", "later", "Move step later", "Ctrl+Right", lambda: self._with_step(session.move_step, 1), "Move the chosen step to the right"),
            ("Route", "remove", "Remove step", "Del", lambda: self._with_step(session.remove_step), "Take the chosen step out of the route"),
            ("View", "fit", "Fit", "0", canvas.fit, "Show the whole picture"),
            ("View", "zoom1", "100 %", "1", lambda: canvas.set_zoom(1.0), "Show actual pixels"),
            ("View", "zoom2", "200 %", "2", lambda: canvas.set_zoom(2.0), "Show each pixel as four"),
            ("View", "zoom4", "400 %", "4", lambda: canvas.set_zoom(4.0), "Show each pixel as sixteen"),
            ("View", "closer", "Closer", "Ctrl++", lambda: canvas.zoom_by(1), "Zoom in by one stop"),
            ("View", "farther", "Farther", "Ctrl+-", lambda: canvas.zoom_by(-1), "Zoom out by one stop"),
            ("View", "wipe", "Wipe", "J", None, "Show the original left of a line that you can drag"),
            ("Help", "keys", "Keys", "F1", self.show_keys, "List all keys"),
        )  # fmt: skip
        menus: dict[str, QMenu] = {}
        for menu, name, text, key, run, tip in table:
            action = QAction(text, self)
            action.setShortcut(QKeySequence(key))
            action.setToolTip(tip)
            if run is not None:
                action.triggered.connect(lambda _=False, run=run: run())
            self.actions_[name] = action
            if menu not in menus:
                menus[menu] = self.menuBar().addMenu(menu)
                menus[menu].setToolTipsVisible(True)
            menus[menu].addAction(action)
        self.actions_["wipe"].setCheckable(True)
        self.actions_["wipe"].toggled.connect(canvas.wipe)
        self.route_bar.add_menu.setTitle("Add a step")
        menus["Route"].insertMenu(self.actions_["switch"], self.route_bar.add_menu)
        step_menu = QMenu(self)
        for name in ("switch", "earlier", "later", "remove"):
            step_menu.addAction(self.actions_[name])
        self.route_bar.step_menu = step_menu

    def _button(self, name: str, text: str | None = None) -> QPushButton:
        """Return a button that does what an action does and shares its state."""
        action = self.actions_[name]
        button = QPushButton(text or action.text().rstrip(" …"))
        key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        button.setToolTip(f"{action.toolTip()} ({key})")
        button.setCheckable(action.isCheckable())
        button.clicked.connect(lambda: action.trigger())
        action.toggled.connect(button.setChecked)
        action.enabledChanged.connect(button.setEnabled)
        return button

    def _lay_out(self) -> None:
        self.title = QLabel(objectName="faint", alignment=Qt.AlignmentFlag.AlignCenter)
        header = QWidget(objectName="header")
        header.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(header)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(self._button("open"))
        row.addWidget(self.title, 1)
        for name in ("undo", "redo", "export"):
            row.addWidget(self._button(name))
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.canvas, 1)
        right.addWidget(self._make_bar())
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.controls)
        middle.addLayout(right, 1)
        body = QWidget()
        whole = QVBoxLayout(body)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        for widget in (header, self.route_bar):
            whole.addWidget(widget)
        whole.addLayout(middle, 1)
        self.setCentralWidget(body)

    def _make_bar(self) -> QWidget:
        bar = QWidget(objectName="header")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 6, 12, 6)
        self.hold_button = QPushButton("Hold")
        self.hold_button.setToolTip("Press and hold to see the original (H)")
        self.hold_button.pressed.connect(lambda: self.canvas.hold(True))
        self.hold_button.released.connect(lambda: self.canvas.hold(False))
        row.addWidget(self.hold_button)
        row.addWidget(self._button("wipe"))
        row.addStretch()
        self.task_label = QLabel(objectName="faint")
        self.progress = QProgressBar(textVisible=False)
        self.progress.setFixedWidth(140)
        self.stop_button = QPushButton("Cancel")
        self.stop_button.setToolTip("Stop this work; everything stays as it was (Esc)")
        self.stop_button.clicked.connect(self.session.cancel)
        self.stop_button.setShortcut("Esc")
        for widget in (self.task_label, self.progress, self.stop_button):
            widget.hide()
            row.addWidget(widget)
        self.state_label = QLabel()
        self.state_label.setToolTip("Whether the picture shows exact pixels, or a quick draft until they are there")
        row.addWidget(self.state_label)
        row.addSpacing(10)
        row.addWidget(self._button("fit"))
        self.zoom_button = self._button("zoom1", "100 %")
        self.zoom_button.setFixedWidth(86)
        row.addWidget(self.zoom_button)
        return bar

    def _connect(self) -> None:
        session = self.session
        session.opened.connect(self._refresh)
        session.edited.connect(lambda dragging: self._refresh())
        session.chosen.connect(self._refresh)
        session.task.connect(self._show_task)
        session.told.connect(self.message.tell)
        self.tiles.state.connect(self._show_state)
        self.canvas.zoomed.connect(lambda zoom: self.zoom_button.setText(f"{zoom:.0%}".replace("%", " %")))

    # -- showing ----------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        session = self.session
        ready, step = session.engine is not None, session.step
        for name in ("export", "propose", "fit", "zoom1", "zoom2", "zoom4", "closer", "farther", "wipe"):
            self.actions_[name].setEnabled(ready)
        self.hold_button.setEnabled(ready)
        for name in ("switch", "earlier", "later", "remove"):
            self.actions_[name].setEnabled(step is not None)
        for name in ("previous", "next"):
            self.actions_[name].setEnabled(len(session.route) > 0)
        for name, label in (("undo", session.history.undo_label), ("redo", session.history.redo_label)):
            self.actions_[name].setEnabled(bool(label))
            self.actions_[name].setText(f"{name.capitalize()} {label}".strip())
        self.title.setText(self._describe())

    def _describe(self) -> str:
        engine = self.session.engine
        if engine is None:
            return ""
        source = engine.source
        facts = [source.name, source.metadata.camera]
        facts.append(f"ISO {source.metadata.iso}" if source.metadata.iso else "")
        facts += [source.metadata.exposure, f"{source.width * source.height / 1e6:.1f} MP"]
        return "   ·   ".join(fact for fact in facts if fact)

    def _show_task(self, text: str, share: float) -> None:
        for widget in (self.task_label, self.progress, self.stop_button):
            widget.setVisible(bool(text))
        self.task_label.setText(text)
        self.progress.setRange(0, 0 if share < 0 else 100)
        if share >= 0:
            self.progress.setValue(round(share * 100))

    def _show_state(self, exact: bool, have: int, wanted: int) -> None:
        self.state_label.setText("exact" if exact else f"draft  {have}/{wanted}" if have else "draft")
        self.state_label.setStyleSheet(f"color: {theme.VERDIGRIS if exact else theme.GREYS.faint};")

    def resizeEvent(self, event):
        """Keep the message in its place."""
        super().resizeEvent(event)
        if self.message.isVisible():
            self.message.place()

    # -- doing ------------------------------------------------------------------------------------------------

    def _with_step(self, run, *rest) -> None:
        if self.session.step:
            run(self.session.chosen_id, *rest)

    def _walk(self, by: int) -> None:
        route = self.session.route
        if not len(route):
            return
        place = route.index(self.session.chosen_id) + by if self.session.step else 0
        self.session.choose(route.steps[min(max(place, 0), len(route) - 1)].id)

    def ask_open(self) -> None:
        """Ask for a picture and open it."""
        folder = str(self.session.path.parent) if self.session.path else ""
        name, _ = QFileDialog.getOpenFileName(self, "Open a picture", folder, _FILTER)
        if name:
            self.session.open(Path(name))

    def ask_export(self) -> None:
        """Ask where to export to, and do it."""
        source = self.session.engine.source
        folder = self.session.path.parent if self.session.path else Path.home()
        stem = Path(source.name).stem.replace(", ", "-") or "picture"
        dialog = ExportDialog(folder / f"{stem}-cleaned", source.pixels.dtype, self)
        if dialog.exec():
            self.session.export(
                dialog.target,
                dialog.format_name,
                quality=round(dialog.quality.value),
                overwrite=dialog.overwrite.isChecked(),
            )

    def show_keys(self) -> None:
        """List all keys."""
        rows = [
            (a.shortcut().toString(QKeySequence.SequenceFormat.NativeText), a.toolTip()) for a in self.actions_.values()
        ]
        rows += [("H", "Hold to see the original"), ("Space", "Hold to drag the picture"), ("Arrows", "Move the picture"),
                 ("Wheel", "Zoom at the pointer"), ("Esc", "Cancel the work under way")]  # fmt: skip
        table = "".join(f"<tr><td><b>{key}</b>&nbsp;&nbsp;</td><td>{what}</td></tr>" for key, what in rows)
        box = QMessageBox(self)
        box.setWindowTitle("Keys")
        box.setTextFormat(Qt.TextFormat.RichText)
        box.setText(f"<table>{table}</table>")
        box.setIconPixmap(qtawesome.icon("fa6s.keyboard", color=theme.GREYS.text).pixmap(28, 28))
        box.open()

    def keyPressEvent(self, event):
        """Show the original while H is held."""
        if event.key() == Qt.Key.Key_H and not event.modifiers():
            if not event.isAutoRepeat():
                self.canvas.hold(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event):
        """Show the route's result again."""
        if event.key() == Qt.Key.Key_H and not event.isAutoRepeat():
            self.canvas.hold(False)
        super().keyReleaseEvent(event)

    def closeEvent(self, event):
        """End all work and both pools."""
        self.session.cancel()
        self.tiles.stop()
        self.jobs.close()
        self.closed.emit()
        super().closeEvent(event)
