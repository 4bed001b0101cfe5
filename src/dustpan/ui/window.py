"""The main window: header, route, controls, picture and the bar below it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QActionGroup, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.copying import write_steps
from dustpan.core.document.remedy import Remedy, unmet_wishes
from dustpan.core.errors import DustpanError
from dustpan.core.filters.viewing import stretch_for
from dustpan.core.noise.fixed import fixed_noise
from dustpan.core.picture.source import Source
from dustpan.core.steps import kinds
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.files import ENDINGS, READS
from dustpan.files.remedies import load_remedy, save_remedy
from dustpan.ui.actions import NEED_PICTURE, NEED_ROUTE, NEED_STEP, STEP_MENU, keys_of, make_actions
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.judging.findings import Findings
from dustpan.ui.judging.proof_strip import ProofStrip
from dustpan.ui.judging.proofs import Proofs
from dustpan.ui.judging.readings import Readings
from dustpan.ui.keys_dialog import KeysDialog
from dustpan.ui.memory import Memory
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import INPUT, MODES, Compare
from dustpan.ui.picture.compare_bar import CompareBar, WrappingBar, mode_actions
from dustpan.ui.picture.screen import Look, read_profile
from dustpan.ui.picture.tiles import Tiles
from dustpan.ui.picture.values import Values
from dustpan.ui.route.controls import Controls
from dustpan.ui.route.route_bar import RouteBar
from dustpan.ui.route.states import States
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.pictures import KeptRoutes
from dustpan.ui.session.session import Session
from dustpan.ui.session.watch import FileWatch
from dustpan.ui.start_page import StartPage
from dustpan.ui.task_bar import TaskBar
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.sliders import Groove
from dustpan.ui.widgets.text import shown_name
from dustpan.ui.widgets.tone_plot import TonePlot

_ENDINGS = " ".join(f"*{ending} *{ending.upper()}" for ending in ENDINGS)
_FILTER = f"Pictures ({READS}) ({_ENDINGS});;All files (*)"
_REMEDIES = "Remedies (*.json);;All files (*)"


class Window(QMainWindow):
    """One window, which shows one of the pictures opened together."""

    closed = pyqtSignal()

    def __init__(self, pool: Pool | None = None, memory: Memory | None = None, kept: KeptRoutes | None = None):
        super().__init__()
        self.memory = memory or Memory()
        self.setAcceptDrops(True)
        self.resize(*self._remembered_size())
        self.setMinimumSize(900, 600)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.jobs = Jobs(pool or Pool(yielding=True), self)
        self.session = Session(self.jobs, self, kept)
        self.compare = Compare(self.session, self)
        self.tiles = Tiles(self.session, self.compare.result_subject, self)
        self.other = Tiles(self.session, self.compare.other_subject, self)
        self.canvas = Canvas(self.tiles, self.other, self.compare)
        self.values = Values(self.session, self.compare, self.canvas)
        self.proofs = Proofs(self.canvas, self.compare, self)
        self.findings = Findings(self.session, self.canvas)
        self.controls = Controls(self.session)
        self.route_bar = RouteBar(self.session)
        self._ending = False  # the user has agreed to lose what is under way
        self._way = 1  # the direction in which a broken picture is passed over
        self._make_actions()
        self._lay_out()
        self.message = Message(self.canvas)
        self.states = States(self.session, self.compare, self)
        self.watch = FileWatch(self)
        self._connect()
        self._refresh()
        if monitor := self.memory.get("monitor", ""):
            self.set_monitor(Path(monitor))

    # -- building ---------------------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        self.actions_by_name, menus = make_actions(self, self._runs())
        self._menus = menus
        self._make_choices(menus)
        actions = self.actions_by_name
        actions["no_monitor"].setVisible(False)
        for name, run in (("where", self._hatch), ("frames", lambda on: self.proof_strip.show_frames(on))):
            actions[name].setChecked(True)
            actions[name].toggled.connect(run)
        actions["propose_always"].setChecked(self.memory.get("propose_when_opening", False))
        actions["propose_always"].toggled.connect(lambda on: self.memory.put("propose_when_opening", on))
        for name, action in mode_actions(self.compare, self).items():
            menus["Compare"].addAction(action)
            actions[name] = action
        actions["stretch"].toggled.connect(self._stretch)
        self.compare.changed.connect(lambda: actions["stretch"].setChecked(self.compare.now.look.stretch > 0))
        step_menu = QMenu(self)
        for name in STEP_MENU:
            step_menu.addAction(actions[name])
        self.route_bar.step_menu = step_menu

    def _runs(self) -> dict[str, Callable[[], object]]:
        """Return what each action does."""
        session, canvas, with_step = self.session, self.canvas, self._with_step
        return {
            "open": self.ask_open,
            "reread": session.opening.reread,
            "export": self.ask_export,
            "quit": self.close,
            "next_picture": lambda: self.go_to_neighbour(1),
            "previous_picture": lambda: self.go_to_neighbour(-1),
            "save_remedy": self.ask_save_remedy,
            "apply_remedy": self.ask_apply_remedy,
            "cancel": self.escape,
            "undo": lambda: self._walk_history(session.undo),
            "redo": lambda: self._walk_history(session.redo),
            "states": self.show_states,
            "copy": lambda: self._copy(False),
            "copy_route": lambda: self._copy(True),
            "paste": self._paste,
            "propose": session.measuring.propose,
            "add": self.route_bar.show_steps,
            "switch": lambda: with_step(session.switch_step),
            "previous": lambda: self._walk(-1),
            "next": lambda: self._walk(1),
            "earlier": lambda: with_step(session.move_step, -1),
            "later": lambda: with_step(session.move_step, 1),
            "duplicate": lambda: with_step(session.duplicate_step),
            "rename": lambda: with_step(self.route_bar.ask_name),
            "remove": lambda: with_step(session.remove_step),
            "fit": canvas.fit,
            "zoom1": lambda: canvas.set_zoom(1.0),
            "zoom2": lambda: canvas.set_zoom(2.0),
            "zoom4": lambda: canvas.set_zoom(4.0),
            "closer": lambda: canvas.zoom_by(1),
            "farther": lambda: canvas.zoom_by(-1),
            "monitor": self.ask_monitor,
            "no_monitor": lambda: self.set_monitor(None),
            "pin": lambda: self.proof_strip.add_middle(),
            "pins": self.proofs.choose_again,
            "take": self._keep_take,
            "channel": lambda: self.compare_bar.next_channel(),
            "take_stretch": self._take_stretch,
            "lamp": lambda: self.compare_bar.switch_lamp(),
            "keys": self.show_keys,
        }

    def _make_choices(self, menus: dict[str, QMenu]) -> None:
        """Add the menus that choose one of several: recent pictures, surround."""
        self.recent_menu = QMenu("Recent", self)
        self.actions_by_name.pop("recent").setMenu(self.recent_menu)
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
        self.actions_by_name["no_monitor"].setVisible(path is not None)
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
        action = self.actions_by_name[name]
        button = QPushButton(text or action.text().rstrip(" …"))
        key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        button.setToolTip(f"{action.toolTip()} ({key})")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.setCheckable(action.isCheckable())
        button.clicked.connect(lambda: action.trigger())
        action.toggled.connect(button.setChecked)
        action.enabledChanged.connect(button.setEnabled)
        return button

    def _lay_out(self) -> None:
        self.title = configured(QLabel(), objectName="faint", alignment=Qt.AlignmentFlag.AlignCenter)
        self.title.setMinimumWidth(80)
        self.task_bar = TaskBar(self.session.tasks)
        header = configured(QWidget(), objectName="header")
        header.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(header)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(self._button("open"))
        row.addWidget(self.title, 1)
        row.addWidget(self.task_bar)
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
        work = QWidget()
        column = QVBoxLayout(work)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.route_bar)
        column.addLayout(middle, 1)
        column.addWidget(self._make_strip())
        self.start_page = StartPage(lambda: self.memory.recent)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(work)
        body = QWidget()
        whole = QVBoxLayout(body)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(header)
        whole.addWidget(self.pages, 1)
        self.setCentralWidget(body)

    def _make_strip(self) -> QWidget:
        """Return the strip along the bottom: proofs, then readings, and the rim that sets its height."""
        strip = configured(QWidget(), objectName="strip")
        strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.proof_strip = ProofStrip(self.proofs, self.memory.get("proof_height", 104))
        self.proof_strip.sized.connect(lambda height: self.memory.put("proof_height", height))
        self.readings = Readings(self.proofs)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.proof_strip, 1)
        row.addWidget(self.readings)
        column = QVBoxLayout(strip)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.proof_strip.grip)
        column.addLayout(row)
        self.readings.reported.connect(self.findings.take_report)
        self.readings.reported.connect(lambda report: self.route_bar.refresh())
        self.proofs.placed.connect(self.findings.look)  # the proofs come first
        return strip

    def _make_bar(self) -> QWidget:
        self.hold_button = QPushButton("Hold")
        self.hold_button.setToolTip("Press and hold to see the other side (H)")
        self.hold_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.hold_button.pressed.connect(lambda: self.canvas.hold(True))
        self.hold_button.released.connect(lambda: self.canvas.hold(False))
        self.compare_bar = CompareBar(self.compare)
        self.compare_bar.detail.setParent(self.canvas)
        self.canvas.moved.connect(self._place_detail)
        self.state_label = QLabel()
        self.state_label.setToolTip("Whether the picture shows exact pixels, or a quick draft until they are there")
        self.zoom_button = self._button("zoom1", "100 %")
        self.zoom_button.setFixedWidth(64)
        modes: list[QWidget] = [self.hold_button, *(self._button(mode) for mode in MODES)]
        return WrappingBar(modes, [self.compare_bar], [self.state_label, self._button("fit"), self.zoom_button])

    def _connect(self) -> None:
        session = self.session
        session.opened.connect(self._refresh)
        session.opened.connect(self._begin_looking)
        session.edited.connect(lambda dragging: self._refresh())
        session.chosen.connect(self._refresh)
        session.chosen.connect(self._choose)
        session.tasks.changed.connect(self._show_page)
        session.told.connect(self.tell)
        session.offered.connect(self.message.offer)
        session.opening.unreadable.connect(self._pass_over)
        session.opened.connect(lambda: self.watch.follow(session.path, session.stamp))
        self.proof_strip.told.connect(lambda text: self.message.tell(text, False))
        self.watch.told.connect(lambda text: self.message.tell(text, True))
        self.tiles.state.connect(self._show_state)
        self.compare.changed.connect(self._look_anew)
        self.controls.peeked.connect(self.compare.peek)
        self.canvas.zoomed.connect(lambda zoom: self.zoom_button.setText(f"{zoom:.0%}".replace("%", " %")))
        self.start_page.asked.connect(self.ask_open)
        self.start_page.picked.connect(lambda path: self.open_files([path]))
        self.start_page.sample.connect(self.open_sample)
        # A message goes when what it was about has passed.
        session.opened.connect(self.message.pass_by)
        session.edited.connect(lambda dragging: self.message.pass_by())

    # -- showing ----------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        session = self.session
        ready, step = session.engine is not None, session.step
        actions = self.actions_by_name
        for names, on in (
            ((*NEED_PICTURE, *MODES), ready),
            (NEED_STEP, step is not None),
            (NEED_ROUTE, len(session.route) > 0),
        ):
            for name in names:
                actions[name].setEnabled(on)
        self.hold_button.setEnabled(ready)
        actions["reread"].setEnabled(session.path is not None)
        for name, way in (("next_picture", 1), ("previous_picture", -1)):
            actions[name].setEnabled(session.pictures.neighbour(session.path, way) is not None)
        for name, label in (("undo", session.history.undo_label), ("redo", session.history.redo_label)):
            actions[name].setEnabled(bool(label) or session.dragging)
            actions[name].setText(f"{name.capitalize()} {label}".strip())
        self.title.setText(self._describe())
        name = shown_name(session.path) if session.path else session.engine.source.name if session.engine else ""
        self.setWindowTitle(f"{name}[*] – Dustpan" if name else "Dustpan")
        self.setWindowModified(session.changed and bool(name))
        self._show_page()

    def _show_page(self) -> None:
        """Show the picture, or how to begin while there is none."""
        work = self.session.engine is not None or self.session.opening.under_way
        if self.pages.currentIndex() != int(work):
            self.start_page.refresh()
            self.pages.setCurrentIndex(int(work))

    def _describe(self) -> str:
        engine = self.session.engine
        if engine is None:
            return ""
        source, pictures = engine.source, self.session.pictures
        at = pictures.place(self.session.path)
        several = f"{at + 1} of {len(pictures.paths)}" if at >= 0 and len(pictures.paths) > 1 else ""
        mark = "● " if self.session.changed else ""
        self.title.setToolTip("● marks a route that was changed and not exported or saved" if mark else "")
        facts = [mark + source.name, several, source.metadata.camera]
        facts.append(f"ISO {source.metadata.iso}" if source.metadata.iso else "")
        facts += [source.metadata.exposure, f"{source.width * source.height / 1e6:.1f} MP"]
        return "   ·   ".join(fact for fact in facts if fact)

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
        untouched = all(kinds()[step.kind].develops for step in self.session.route)
        if self.actions_by_name["propose_always"].isChecked() and untouched and not self.session.history.at:
            self.session.measuring.propose()

    def _stretch(self, on: bool) -> None:
        engine = self.session.engine
        if engine is None or on == (self.compare.now.look.stretch > 0):
            return
        if not on:
            self.compare.look(stretch=0.0)
            return

        def then(stretch: float) -> None:
            self.compare.look(stretch=stretch)
            self.actions_by_name["stretch"].setChecked(stretch > 0)
            if stretch > 0:
                self.message.tell(f"Shown with a stretch of {stretch:g}; the picture itself is as it was.", False)

        base = engine.base
        self.session.jobs.run(
            lambda: stretch_for(base.read_overview()), then, priority=Priority.VIEW_DRAFT, token=Token()
        )

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
            self.message.tell("Copied the route." if whole else f"Copied {steps[0].title}.", False)

    def _paste(self) -> None:
        if self.session.engine is not None:
            self.session.paste(QApplication.clipboard().text())

    def _keep_take(self) -> None:
        self.message.tell(f"Kept as {self.session.keep_take()}.", False)

    def tell(self, text: str, harm: bool) -> None:
        """Show a message; with no picture there is no picture to show it on."""
        self.message.setParent(self.canvas if self.pages.currentIndex() else self.start_page)
        self.message.tell(text, harm)

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
        index = route.index(self.session.chosen_id or "") + by if self.session.step else 0
        self.session.choose(route.steps[min(max(index, 0), len(route) - 1)].id)

    def _walk_history(self, go: Callable[[], None]) -> None:
        """Undo or redo; during a drag, only give the drag up."""
        if self.session.dragging:
            self._end_drags()
        go()

    def _end_drags(self) -> None:
        for groove in self.findChildren(Groove):
            groove.let_go()
        for plot in self.findChildren(TonePlot):
            plot.let_go()
        self.canvas.ellipse.let_go()

    def escape(self) -> None:
        """End a drag; else cancel the newest work under way; else leave what has the focus."""
        if self.session.dragging:
            self._end_drags()
            self.session.end_drag()
        elif not self.task_bar.cancel_newest():
            self.setFocus()

    def ask_open(self) -> None:
        """Ask for pictures and open them."""
        folder = str(self.session.path.parent) if self.session.path else ""
        names, _ = QFileDialog.getOpenFileNames(self, "Open pictures", folder, _FILTER)
        if names:
            self.open_files([Path(name) for name in names])

    def open_files(self, paths: list[Path], *, read: Callable[[], Source] | None = None) -> None:
        """Open pictures together: the first is shown, PgDn and PgUp walk through them.

        read : gives the first picture, when it is being read already.
        """
        if not paths:
            return
        self.session.pictures.take(paths)
        self._way = 1
        self._open(paths[0].absolute(), read)

    def _open(self, path: Path, read: Callable[[], Source] | None = None) -> None:
        self.session.opening.open(path, read=read, then=lambda: self._opened(path))

    def _opened(self, path: Path) -> None:
        """Remember a picture that was opened; where others wait, say how to get to them."""
        self.memory.add_recent([path])
        self._refresh()
        pictures = self.session.pictures
        if len(pictures.paths) > 1 and not self.memory.get("told_walking", False):
            self.memory.put("told_walking", True)
            self.message.tell(f"{len(pictures.paths)} pictures were opened; PgDn and PgUp walk through them.", False)

    def _pass_over(self, path: Path) -> None:
        """Leave out a picture that can't be read, and go on to the next one in the same direction."""
        pictures = self.session.pictures
        if pictures.place(path) < 0 or len(pictures.paths) < 2:
            return
        pictures.broken.add(path.absolute())
        there = pictures.neighbour(path, self._way) or pictures.neighbour(path, -self._way)
        if there is not None and there != (self.session.path and self.session.path.absolute()):
            said = self.message.text.text()

            def tell_again() -> None:
                self._opened(there)
                self.message.tell(said, True)

            self.session.opening.open(there, then=tell_again)
        self._refresh()

    def go_to_neighbour(self, way: int) -> None:
        """Go to the next or the previous of the pictures opened together."""
        there = self.session.pictures.neighbour(self.session.path, way)
        if there is not None:
            self._way = way
            self._open(there)

    def open_sample(self, scene: str) -> None:
        """Open a demo scene and propose a route for it."""
        from dustpan.simulate.scenes import noisy_picture

        self.session.pictures.take([])
        self.session.opening.open_from(lambda: noisy_picture(scene), scene, then=self.session.measuring.propose)

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
        dialog = ExportDialog(self.session.path, self.session.engine.source, self.memory, self)
        if dialog.exec():
            self.session.exporting.export(
                dialog.target,
                dialog.format_name,
                quality=round(dialog.quality.value),
                overwrite=dialog.overwrite.isChecked(),
            )

    def ask_save_remedy(self) -> None:
        """Ask for a file, and save the route as a remedy."""
        source = self.session.engine.source
        folder = Path(self.memory.get("remedy_folder", str(Path.home())))
        start = folder / f"{source.metadata.camera or 'route'} ISO {source.metadata.iso or ''}".strip()
        name, _ = QFileDialog.getSaveFileName(self, "Save route as remedy", f"{start}.json", _REMEDIES)
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(name + ".json")
        remedy = Remedy(
            self.session.route,
            name=path.stem,
            camera=source.metadata.camera,
            iso=source.metadata.iso,
            made_on={"noise": self.session.engine.noise.to_json()},
        )
        try:
            save_remedy(path, remedy, overwrite=True)  # the file dialog has asked
        except DustpanError as fault:
            self.message.tell(str(fault), True)
            return
        self.memory.put("remedy_folder", str(path.parent))
        self.session.mark_safe(self.session.history.document)
        self.message.tell(f"Saved {shown_name(path, whole=True)}", False)

    def ask_apply_remedy(self) -> None:
        """Ask for a remedy and take its route."""
        folder = self.memory.get("remedy_folder", str(Path.home()))
        name, _ = QFileDialog.getOpenFileName(self, "Apply remedy", folder, _REMEDIES)
        if name:
            self.apply_remedy(Path(name))

    def apply_remedy(self, path: Path) -> None:
        """Take the route of a remedy file; a broken one is told and changes nothing."""
        try:
            remedy = load_remedy(path)
        except DustpanError as fault:
            self.message.tell(str(fault), True)
            return
        self.memory.put("remedy_folder", str(path.parent))
        self.session.apply(remedy.route, f"Apply {remedy.name or path.stem}")
        said = unmet_wishes(remedy)
        if fixed_noise(remedy) is not None:
            said.append("The noise measured in this picture is used, not the remedy's own.")
        if said:
            self.message.tell(" ".join(said), False)

    def show_keys(self) -> None:
        """List all keys."""
        KeysDialog(keys_of(self._menus), self).open()

    # -- keys and focus ---------------------------------------------------------------------------------------

    def keyPressEvent(self, event):
        """Show the other side while H is held; what nothing else takes moves the picture."""
        if event.key() == Qt.Key.Key_H and not event.modifiers():
            if not event.isAutoRepeat():
                self.canvas.hold(True)
        elif self.session.engine is not None:
            self.canvas.keyPressEvent(event)

    def keyReleaseEvent(self, event):
        """Show the route's result again."""
        if event.key() == Qt.Key.Key_H and not event.isAutoRepeat():
            self.canvas.hold(False)
        else:
            self.canvas.keyReleaseEvent(event)

    def changeEvent(self, event):
        """End what lasts as long as a key is held, when the window is left: its release comes to another window."""
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.canvas.let_go()
            self.compare.peek("")

    def showEvent(self, event):
        """Begin with the focus on no button, list or field: keys are the window's."""
        super().showEvent(event)
        self.setFocus()

    def closeEvent(self, event):
        """Ask once when work under way would be lost; then end it all, and both pools."""
        under_way = [task.text for task in self.session.tasks.running if task.loses]
        if under_way and not self._ending:
            event.ignore()
            self._ask_to_end(under_way)
            return
        if not (self.isMaximized() or self.isFullScreen()):
            self.memory.put("size", [self.width(), self.height()])
        self.session.keep_route()
        self.session.tasks.cancel_all()
        for part in (
            self.tiles,
            self.other,
            self.proofs,
            self.readings,
            self.findings,
            self.canvas,
            self.watch,
            self.values,
        ):
            part.stop()
        self.jobs.close()
        self.closed.emit()
        super().closeEvent(event)

    def close_at_once(self) -> None:
        """Close without a question."""
        self._ending = True
        self.close()

    def _ask_to_end(self, under_way: list[str]) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("Close")
        box.setText(f"{under_way[0]} is under way.")
        box.setInformativeText("Closing stops it; no file is left half-written.")
        stop = box.addButton("Stop it and close", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Go on", QMessageBox.ButtonRole.RejectRole)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def answered(button) -> None:
            if button is stop:
                self.close_at_once()

        box.buttonClicked.connect(answered)
        box.open()
