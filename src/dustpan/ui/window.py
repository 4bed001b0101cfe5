"""The main window: header, route, controls, picture and the bar below it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
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

from dustpan.core.copying import write_steps
from dustpan.core.filters.viewing import stretch_for
from dustpan.core.picture import Source
from dustpan.core.pool import Pool, Priority, Token
from dustpan.files import ENDINGS, READS
from dustpan.ui import theme
from dustpan.ui.canvas import Canvas
from dustpan.ui.compare import INPUT, MODES, Compare
from dustpan.ui.compare_bar import CompareBar, WrappingBar, mode_actions
from dustpan.ui.controls import Controls
from dustpan.ui.export import ExportDialog
from dustpan.ui.findings import Findings
from dustpan.ui.icons import icon
from dustpan.ui.jobs import Jobs
from dustpan.ui.memory import Memory
from dustpan.ui.messages import Message
from dustpan.ui.proof_strip import ProofStrip
from dustpan.ui.proofs import Proofs
from dustpan.ui.readings import Readings
from dustpan.ui.route_bar import RouteBar
from dustpan.ui.screen import Look, read_profile
from dustpan.ui.session import Session, title_of
from dustpan.ui.states import States
from dustpan.ui.tiles import Tiles
from dustpan.ui.watch import FileWatch

_ENDINGS = " ".join(f"*{ending} *{ending.upper()}" for ending in ENDINGS)
_FILTER = f"Pictures ({READS}) ({_ENDINGS});;All files (*)"


class Window(QMainWindow):
    """One window for one picture."""

    closed = pyqtSignal()

    def __init__(self, pool: Pool | None = None, memory: Memory | None = None):
        super().__init__()
        self.memory = memory or Memory()
        self.setWindowTitle("Dustpan")
        self.setAcceptDrops(True)
        self.resize(*self._remembered_size())
        self.setMinimumSize(900, 600)
        self.jobs = Jobs(pool or Pool(yielding=True), self)
        self.session = Session(self.jobs, self)
        self.compare = Compare(self.session, self)
        self.tiles = Tiles(self.session, self.compare.result_subject, self)
        self.other = Tiles(self.session, self.compare.other_subject, self)
        self.canvas = Canvas(self.tiles, self.other, self.compare)
        self.proofs = Proofs(self.canvas, self.compare, self)
        self.findings = Findings(self.session, self.canvas)
        self.controls = Controls(self.session)
        self.route_bar = RouteBar(self.session)
        self.actions_: dict[str, QAction] = {}
        self._make_actions()
        self._lay_out()
        self.message = Message(self.canvas)
        self.states = States(self.session, self.compare, self)
        self.watch = FileWatch(self)
        self._connect()
        self._refresh()
        if kept := self.memory.get("monitor", ""):
            self.set_monitor(Path(kept))

    # -- building ---------------------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        session, canvas = self.session, self.canvas
        table = (
            ("File", "open", "Open …", "Ctrl+O", self.ask_open, "Open a picture"),
            ("File", "recent", "Recent", "", None, "Pictures opened lately"),
            ("File", "reread", "Read again", "F5", session.reread, "Read the file again and keep the route, when it has changed"),
            ("File", "export", "Export …", "Ctrl+E", self.ask_export, "Render the whole picture and save it as a new file"),
            ("File", "quit", "Quit", "Ctrl+Q", self.close, "Close the window"),
            ("Edit", "undo", "Undo", "Ctrl+Z", session.undo, "Take the last change back"),
            ("Edit", "redo", "Redo", "Ctrl+Shift+Z", session.redo, "Do it again"),
            ("Edit", "states", "Takes and history …", "Ctrl+H", self.show_states, "Takes to go back to and to compare with, and every change so far"),
            ("Edit", "copy", "Copy step", "Ctrl+C", lambda: self._copy(False), "Copy the chosen card as text"),
            ("Edit", "copy_route", "Copy route", "Ctrl+Shift+C", lambda: self._copy(True), "Copy the whole route as text"),
            ("Edit", "paste", "Paste", "Ctrl+V", self._paste, "Paste a value, a card or a route into the same place of this window"),
            ("Route", "propose", "Propose a route", "Ctrl+P", session.propose, "Measure the picture and lay out the steps it needs"),
            ("Route", "add", "Add a step …", "A", self.route_bar.show_steps, "Search the list of steps; a new one lands where its stage stands"),
            ("Route", "switch", "Step on or off", "X", lambda: self._with_step(session.switch_step), "Turn the chosen step on or off"),
            ("Route", "previous", "Previous step", ",", lambda: self._walk(-1), "Choose the step before"),
            ("Route", "next", "Next step", ".", lambda: self._walk(1), "Choose the step after"),
            ("Route", "earlier", "Move step earlier", "Ctrl+Left", lambda: self._with_step(session.move_step, -1), "Move the chosen step to the left"),
            ("Route", "later", "Move step later", "Ctrl+Right", lambda: self._with_step(session.move_step, 1), "Move the chosen step to the right"),
            ("Route", "duplicate", "Duplicate step", "Ctrl+D", lambda: self._with_step(session.duplicate_step), "Add a copy after the chosen step"),
            ("Route", "rename", "Rename step …", "F2", lambda: self._with_step(self.route_bar.ask_name), "Give the chosen step a name of your own"),
            ("Route", "remove", "Remove step", "Del", lambda: self._with_step(session.remove_step), "Take the chosen step out of the route"),
            ("View", "fit", "Fit", "0", canvas.fit, "Show the whole picture"),
            ("View", "zoom1", "100 %", "1", lambda: canvas.set_zoom(1.0), "Show actual pixels"),
            ("View", "zoom2", "200 %", "2", lambda: canvas.set_zoom(2.0), "Show each pixel as four"),
            ("View", "zoom4", "400 %", "4", lambda: canvas.set_zoom(4.0), "Show each pixel as sixteen"),
            ("View", "closer", "Closer", "Ctrl++", lambda: canvas.zoom_by(1), "Zoom in by one stop"),
            ("View", "farther", "Farther", "Ctrl+-", lambda: canvas.zoom_by(-1), "Zoom out by one stop"),
            ("View", "monitor", "Profile of the monitor …", "Ctrl+M", self.ask_monitor, "Name the ICC profile file of this monitor, so that colours are shown as they are"),
            ("View", "no_monitor", "Forget the monitor's profile", "Ctrl+Shift+M", lambda: self.set_monitor(None), "Show colours as on a standard screen"),
            ("View", "pin", "Pin a proof", "Shift+P", lambda: self.proof_strip.add_middle(), "Pin the place in the middle of the picture as a proof"),
            ("View", "pins", "Choose proofs again", "Ctrl+Shift+P", self.proofs.choose_again, "Choose the five places again from the picture"),
            ("View", "frames", "Frames of the proofs", "Shift+F", None, "Show on the picture where the proofs are"),
            ("View", "where", "Show the Where", "M", None, "Hatch what the chosen step leaves alone"),
            ("Compare", "take", "Keep a take", "T", self._keep_take, "Keep the route as it stands, to go back to and to compare with"),
            ("Compare", "channel", "Next channel", "N", lambda: self.compare_bar.next_channel(), "See brightness, colour, one channel, or what is clipped"),
            ("Compare", "stretch", "Stretch the view", "Shift+S", None, "Lift a dark picture of linear light for the eye alone"),
            ("Compare", "take_stretch", "Take the stretch into the route", "Ctrl+Shift+S", self._take_stretch, "Set the stretch of the view as an Exposure step, so that it is exported too"),
            ("Compare", "lamp", "Lamp", "B", lambda: self.compare_bar.switch_lamp(), "Light up the view, or back to 0"),
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
        self._make_choices(menus)
        self.actions_["no_monitor"].setVisible(False)
        self.actions_["where"].setCheckable(True)
        self.actions_["where"].setChecked(True)
        self.actions_["where"].toggled.connect(self._hatch)
        self.actions_["frames"].setCheckable(True)
        self.actions_["frames"].setChecked(True)
        self.actions_["frames"].toggled.connect(lambda on: self.proof_strip.show_frames(on))
        for name, action in mode_actions(self.compare, self).items():
            menus["Compare"].addAction(action)
            self.actions_[name] = action
        self.actions_["stretch"].setCheckable(True)
        self.actions_["stretch"].toggled.connect(self._stretch)
        self.compare.changed.connect(lambda: self.actions_["stretch"].setChecked(self.compare.now.look.stretch > 0))
        step_menu = QMenu(self)
        for name in ("switch", "earlier", "later", "duplicate", "rename", "copy", "copy_route", "paste", "remove"):
            step_menu.addAction(self.actions_[name])
        self.route_bar.step_menu = step_menu

    def _make_choices(self, menus: dict[str, QMenu]) -> None:
        """Add the menus that choose one of several: recent pictures, surround."""
        self.recent_menu = QMenu("Recent", self)
        self.actions_.pop("recent").setMenu(self.recent_menu)
        self.recent_menu.aboutToShow.connect(self._list_recent)
        surround = menus["View"].addMenu("Surround")
        group = QActionGroup(self)
        kept = self.memory.get("surround", "dark")
        for name in theme.SURROUNDS:
            action = group.addAction(name.capitalize())
            action.setCheckable(True)
            action.setChecked(name == kept)
            action.setToolTip(f"Show the picture on a {name} grey; it changes how bright it looks")
            action.triggered.connect(lambda _=False, n=name: self.set_surround(n))
            surround.addAction(action)
        self.canvas.surround = kept if kept in theme.SURROUNDS else "dark"

    def ask_monitor(self) -> None:
        """Ask for the file of the monitor's profile."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Profile of the monitor", self.memory.get("monitor", ""), "Profiles (*.icc *.icm);;All files (*)"
        )
        if name:
            self.set_monitor(Path(name))

    def set_monitor(self, path: Path | None) -> None:
        """Show colours through a monitor's profile from now on; one that can't be used is told and changes nothing."""
        block = b""
        if path is not None:
            try:
                block = path.read_bytes()
            except OSError as fault:
                self.message.tell(f"{path}: can't be opened ({fault.strerror}).", True)
                return
            if read_profile(block) is None:
                self.message.tell(f"{path}: holds no colour profile of a monitor that can be used.", True)
                return
        self.memory.put("monitor", str(path or ""))
        self.actions_["no_monitor"].setVisible(path is not None)
        for tiles in (self.tiles, self.other):
            tiles.monitor = block
            if self.session.engine is not None:
                tiles.start()
        self.proofs.render()

    def set_surround(self, name: str) -> None:
        """Show the picture on another grey."""
        self.canvas.surround = name
        self.memory.put("surround", name)
        self.canvas.update()

    def _list_recent(self) -> None:
        self.recent_menu.clear()
        for name in self.memory.recent:
            self.recent_menu.addAction(name, lambda n=name: self.open_files([Path(n)]))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("nothing yet").setEnabled(False)

    def _hatch(self, on: bool) -> None:
        self.canvas.ellipse.hatched = on
        self.canvas.update()

    def _remembered_size(self) -> tuple[int, int]:
        size = self.memory.get("size", [1280, 800])
        sound = len(size) == 2 and all(isinstance(n, int) and 600 <= n <= 10000 for n in size)
        return tuple(size) if sound else (1280, 800)

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
        self._add_task(row)
        for name in ("undo", "redo"):
            row.addWidget(self._button(name))
        self.states_button = self._button("states", "Takes")
        row.addWidget(self.states_button)
        row.addWidget(self._button("export"))
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.findings)
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
        whole.addWidget(self._make_strip())
        self.setCentralWidget(body)

    def _make_strip(self) -> QWidget:
        """Return the strip along the bottom: proofs, then readings."""
        strip = QWidget(objectName="strip")
        strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(strip)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.proof_strip = ProofStrip(self.proofs)
        self.readings = Readings(self.proofs)
        row.addWidget(self.proof_strip, 1)
        row.addWidget(self.readings)
        self.readings.reported.connect(self.findings.take_report)
        self.proofs.placed.connect(self.findings.look)  # the proofs come first
        return strip

    def _make_bar(self) -> QWidget:
        self.hold_button = QPushButton("Hold")
        self.hold_button.setToolTip("Press and hold to see the other side (H)")
        self.hold_button.pressed.connect(lambda: self.canvas.hold(True))
        self.hold_button.released.connect(lambda: self.canvas.hold(False))
        self.compare_bar = CompareBar(self.compare)
        self.compare_bar.detail.setParent(self.canvas)
        self.canvas.moved.connect(self._place_detail)
        self.state_label = QLabel()
        self.state_label.setToolTip("Whether the picture shows exact pixels, or a quick draft until they are there")
        self.zoom_button = self._button("zoom1", "100 %")
        self.zoom_button.setFixedWidth(64)
        modes = [self.hold_button, *(self._button(mode) for mode in MODES)]
        return WrappingBar(modes, [self.compare_bar], [self.state_label, self._button("fit"), self.zoom_button])

    def _add_task(self, row: QHBoxLayout) -> None:
        """Add the word, the bar and the way out of long work under way."""
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

    def _connect(self) -> None:
        session = self.session
        session.opened.connect(self._refresh)
        session.opened.connect(self._begin_looking)
        session.edited.connect(lambda dragging: self._refresh())
        session.chosen.connect(self._refresh)
        session.chosen.connect(self._choose)
        session.task.connect(self._show_task)
        session.told.connect(self.message.tell)
        session.opened.connect(lambda: self.watch.follow(session.path, session.stamp))
        self.watch.told.connect(lambda text: self.message.tell(text, True))
        self.tiles.state.connect(self._show_state)
        self.compare.changed.connect(self._look_anew)
        self.controls.peeked.connect(self.compare.peek)
        self.canvas.pointed.connect(self._show_values)
        self.canvas.zoomed.connect(lambda zoom: self.zoom_button.setText(f"{zoom:.0%}".replace("%", " %")))

    # -- showing ----------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        session = self.session
        ready, step = session.engine is not None, session.step
        for name in (
            "export",
            "propose",
            "add",
            "fit",
            "zoom1",
            "zoom2",
            "zoom4",
            "closer",
            "farther",
            "pin",
            "pins",
            "paste",
            "stretch",
            "take_stretch",
            "take",
            "channel",
            "lamp",
            *MODES,
        ):
            self.actions_[name].setEnabled(ready)
        self.hold_button.setEnabled(ready)
        self.actions_["reread"].setEnabled(session.path is not None)
        for name in ("switch", "earlier", "later", "duplicate", "rename", "remove", "copy", "where"):
            self.actions_[name].setEnabled(step is not None)
        for name in ("previous", "next", "copy_route"):
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

    def _show_values(self, pixel) -> None:
        """Show what is under the pointer, before and after."""
        if pixel is None:
            self.canvas.caption = ""
            self.canvas.update()
            return
        found = [self.canvas.colour_at(pixel, after=after) for after in (False, True)]
        words = [f"{c.red()} {c.green()} {c.blue()}" if c else "–" for c in found]
        values = f"     {words[0]}  →  {words[1]}" if any(found) else ""
        self.canvas.caption = f"{pixel.x()}, {pixel.y()}{values}"
        self.canvas.update()

    def _place_detail(self) -> None:
        self.compare_bar.place_detail(QPoint(self.canvas.width() - 8, 8))

    def _choose(self) -> None:
        """Another step was chosen: what belongs to it is shown."""
        if self.compare.now.mode == "inside" or self.compare.now.against == INPUT:
            self._look_anew()

    def _begin_looking(self) -> None:
        """Look at a new picture plainly; one of linear light and a dark sky is stretched for the eye."""
        native = self.session.engine.source.metadata.native
        self.compare.set(mode="", against="original", look=Look())
        if native is not None and native[0] == "fits":
            self._stretch(True)

    def _stretch(self, on: bool) -> None:
        engine = self.session.engine
        if engine is None or on == (self.compare.now.look.stretch > 0):
            return
        if not on:
            self.compare.look(stretch=0.0)
            return

        def then(stretch: float) -> None:
            self.compare.look(stretch=stretch)
            self.actions_["stretch"].setChecked(stretch > 0)
            if stretch > 0:
                self.message.tell(f"Shown with a stretch of {stretch:g}; the picture itself is as it was.", False)

        base = engine.base
        level = base.overview_level
        self.session.jobs.run(
            lambda: stretch_for(base.read((0, 0, *base.size_at(level)), level)), then,
            priority=Priority.VIEW_DRAFT, token=Token(),
        )  # fmt: skip

    def _take_stretch(self) -> None:
        """Move the stretch of the view into an Exposure step."""
        stretch = self.compare.now.look.stretch
        if stretch > 0:
            self.compare.look(stretch=0.0)
            self.session.set_in("exposure", "stretch", stretch)

    def _look_anew(self) -> None:
        """Show both sides as they are compared now."""
        self.other.active = self.compare.shows_other
        self.tiles.refresh()
        self.other.refresh()
        self._place_detail()

    def show_states(self) -> None:
        """Show takes and history under their button."""
        self.states.open_at(self.states_button.mapToGlobal(self.states_button.rect().bottomRight() + QPoint(0, 4)))

    def _copy(self, whole: bool) -> None:
        steps = self.session.route.steps if whole else (self.session.step,)
        if all(steps) and steps:
            QApplication.clipboard().setText(write_steps(*steps))
            self.message.tell("Copied the route." if whole else f"Copied {title_of(steps[0])}.", False)

    def _paste(self) -> None:
        if self.session.engine is not None:
            self.session.paste(QApplication.clipboard().text())

    def _keep_take(self) -> None:
        self.message.tell(f"Kept as {self.session.keep_take()}.", False)

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
            self.open_files([Path(name)])

    def open_files(self, paths: list[Path], *, read: Callable[[], Source] | None = None) -> None:
        """Open the first of several pictures; the others wait among the recent ones.

        read : gives the first picture, when it is being read already.
        """

        def opened() -> None:
            self.memory.add_recent(paths)
            if len(paths) > 1:
                self.message.tell(
                    f"{paths[0].name} was opened; the other {len(paths) - 1} wait under File, Recent.", False
                )

        self.session.open(paths[0], read=read, then=opened)

    def dragEnterEvent(self, event):
        """Take files that are dropped."""
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event):
        """Open what was dropped."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.open_files(paths)

    def ask_export(self) -> None:
        """Ask where to export to, and do it."""
        source = self.session.engine.source
        folder = self.session.path.parent if self.session.path else Path.home()
        dialog = ExportDialog(folder, source, self)
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
        box.setIconPixmap(icon("keyboard", theme.GREYS.text).pixmap(28, 28))
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
        if not (self.isMaximized() or self.isFullScreen()):
            self.memory.put("size", [self.width(), self.height()])
        self.session.cancel()
        for part in (self.tiles, self.other, self.proofs, self.readings, self.findings, self.canvas, self.watch):
            part.stop()
        self.jobs.close()
        self.closed.emit()
        super().closeEvent(event)
