"""The main window: makes its parts, lays them out and connects them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QMenu, QStackedWidget, QVBoxLayout, QWhatsThis, QWidget

from dustpan.core.picture.source import Source
from dustpan.core.work.pool import Pool
from dustpan.files.shelf import Shelf
from dustpan.ui.actions import NEED_MAIN_PAGE, NEED_PICTURE, NEED_ROUTE, NEED_STEP, STEP_MENU, keys_of, make_actions
from dustpan.ui.beside import Beside
from dustpan.ui.closing import ask_to_end
from dustpan.ui.commands import Commands
from dustpan.ui.comparison.saving import Comparison
from dustpan.ui.guide import show_guide
from dustpan.ui.hand_back import HandBack
from dustpan.ui.header import Header
from dustpan.ui.hints import Hints
from dustpan.ui.interface_size import fill_size_menu
from dustpan.ui.judging.findings import Findings
from dustpan.ui.judging.limits import Limits
from dustpan.ui.judging.proof_strip import ProofStrip
from dustpan.ui.judging.proofs import Proofs
from dustpan.ui.judging.readings import Readings
from dustpan.ui.judging.strip import Strip
from dustpan.ui.keys_dialog import KeysDialog
from dustpan.ui.learning import Learning
from dustpan.ui.looked_at import LookedAt
from dustpan.ui.memory import Memory
from dustpan.ui.output_page import OutputPage
from dustpan.ui.output_view import OutputView
from dustpan.ui.picking import Picking
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import INPUT, MODES, Compare
from dustpan.ui.picture.compare_bar import CompareBar, mode_actions
from dustpan.ui.picture.display import Display, Stretch
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.picture.small import SmallPicture
from dustpan.ui.picture.tiles import Tiles
from dustpan.ui.picture.values import Values
from dustpan.ui.picture_bar import PictureBar
from dustpan.ui.project_files import ProjectFiles
from dustpan.ui.remedy_files import RemedyFiles
from dustpan.ui.room import Panel, Room
from dustpan.ui.route.controls import Controls
from dustpan.ui.route.route_bar import RouteBar
from dustpan.ui.route.states import States
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.session.left_open import LeftOpen
from dustpan.ui.session.session import Session
from dustpan.ui.session.watch import FileWatch
from dustpan.ui.start_page import StartPage
from dustpan.ui.staying import fill_staying_menu
from dustpan.ui.tab_order import TabOrder
from dustpan.ui.taking_up import fill_taking_up_menu
from dustpan.ui.translation import tr
from dustpan.ui.tray.tray import Tray
from dustpan.ui.walking import Walking
from dustpan.ui.what_is_this import answer
from dustpan.ui.where.mask_files import MaskFiles
from dustpan.ui.where.mask_view import GREY, HATCHED, HIDDEN
from dustpan.ui.widgets.edge import Edge
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.text import shown_name

_SIZE = (1280, 800)
_LEAST_SIZE = (900, 600)


class Window(QMainWindow):
    """One window, which shows one of the pictures opened together."""

    closed = pyqtSignal()

    def __init__(
        self,
        pool: Pool | None = None,
        memory: Memory | None = None,
        kept: KeptWork | None = None,
        shelf: Shelf | None = None,
        left_open: LeftOpen | None = None,
    ):
        super().__init__()
        self.memory, self.shelf = memory or Memory(), shelf or Shelf(None)
        self.left_open = left_open or LeftOpen(None)
        self.setAcceptDrops(True)
        self.resize(*self._remembered_size())
        self.setMinimumSize(*_LEAST_SIZE)
        if self.memory.get("maximised", False):
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._may_lose = False  # the user has agreed to lose what is under way
        self.jobs = Jobs(pool or Pool(yielding=True), self)
        self.session = Session(self.jobs, self, kept)
        self._make_views()
        self._make_helpers()
        self._make_actions()
        self._lay_out()
        self._connect()
        self._refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def _make_views(self) -> None:
        self.hand_back: HandBack | None = None
        self.compare = Compare(self.session, self)
        self.tiles = Tiles(self.session, self.compare.result_subject, self)
        self.other = Tiles(self.session, self.compare.other_subject, self)
        self.canvas = Canvas(self.tiles, self.other, self.compare)
        self.message = Message(self.canvas)
        self.proofs = Proofs(self.canvas, self.compare, self)
        self.findings = Findings(self.session, self.canvas)
        self.readings = Readings(self.proofs)
        self.limits = Limits(self.session, self)
        self.proof_strip = ProofStrip(self.proofs, self.memory.get("proof_height", 104))
        self.controls = Controls(self.session, self.canvas.parts)
        self.route_bar = RouteBar(self.session)
        self.compare_bar = CompareBar(self.compare)
        self.states = States(self.session, self.compare, self)
        self.start_page = StartPage(lambda: self.memory.recent, self.session.kept)

    def _make_helpers(self) -> None:
        session, memory, message = self.session, self.memory, self.message
        self.values = Values(session, self.compare, self.canvas)
        self.picking = Picking(session, self.canvas, self.controls)
        self.walking = Walking(session, memory, message, self)
        self.remedy_files = RemedyFiles(session, memory, message, self)
        self.comparison = Comparison(self.proofs, memory, message, self)
        self.project_files = ProjectFiles(session, memory, message, self)
        self.beside = Beside(self.walking, self.remedy_files, self.shelf, self.proofs, memory, self)
        self.learning = Learning(session, message, self)
        self.mask_files = MaskFiles(self.canvas.parts, message, self)
        self.tray = Tray(session, self.walking, self.findings)
        self.small = SmallPicture(session)
        self.display = Display(self.canvas, (self.tiles, self.other), memory, message)
        self.output_view = OutputView(session, self.display)
        self.pages = QStackedWidget()
        self.output = OutputPage(session, self.output_view, memory, self.pages, self)
        self.stretch = Stretch(session, self.compare, message)
        self.commands = Commands(session, self.canvas, message, self)
        self.watch = FileWatch(self)
        self.hints = Hints(self.canvas, self.compare, self.findings, self.proof_strip, memory)
        self.looked_at = LookedAt(self.canvas, self.proofs, self.compare)

    def _make_actions(self) -> None:
        self.actions_by_name, self._menus = make_actions(self, {**self._file_commands(), **self._view_commands()})
        actions, menus = self.actions_by_name, self._menus
        actions.pop("recent").setMenu(self.walking.recent_menu)
        staying = menus["Route"].addMenu(tr("Noise that may stay"))
        assert staying is not None
        fill_staying_menu(staying, self.session, self.memory)
        taking_up = menus["File"].addMenu(tr("When a picture is opened again"))
        assert taking_up is not None
        fill_taking_up_menu(taking_up, self.session, self.memory)
        ready = menus["Route"].addMenu(tr("Ready-made routes"))
        assert ready is not None
        self.remedy_files.fill_ready_menu(ready)
        surround = menus["View"].addMenu(tr("Surround"))
        assert surround is not None
        self.display.fill_surround_menu(surround)
        size = menus["View"].addMenu(tr("Interface size"))
        assert size is not None
        fill_size_menu(size, self.memory, self.tell)
        for name, run in (("where", self._show_where), ("frames", self.proof_strip.show_frames)):
            actions[name].setChecked(True)
            actions[name].toggled.connect(run)
        actions["where_alone"].toggled.connect(self._show_where)
        actions["tray"].setChecked(self.memory.get("tray", True))
        actions["tray"].toggled.connect(partial(self.memory.put, "tray"))
        for name in ("tray", "alone"):
            actions[name].toggled.connect(lambda on: self.tray.refresh())
        actions["propose_always"].setChecked(self.memory.get("propose_when_opening", False))
        actions["propose_always"].toggled.connect(partial(self.memory.put, "propose_when_opening"))
        for name, action in mode_actions(self.compare, self).items():
            menus["Compare"].addAction(action)
            actions[name] = action
        actions["stretch"].toggled.connect(self.stretch.switch)
        self.compare.changed.connect(lambda: actions["stretch"].setChecked(self.stretch.on))
        self.route_bar.step_menu = QMenu(self)
        self.route_bar.step_menu.addActions([actions[name] for name in STEP_MENU])

    def _file_commands(self) -> dict[str, Callable[[], object]]:
        """Return what the actions do that concern files, the route and its steps."""
        session, commands = self.session, self.commands
        return {
            "open": self.walking.ask,
            "reread": session.opening.reread,
            "combine": self.beside.show_frames,
            "batch": self.beside.show_batch,
            "shelf": self.beside.show_shelf,
            "learn_noise": self.beside.show_camera_noise,
            "export": self.output.ask_export,
            "output": lambda: self.output.see(),
            "quit": self.close,
            "next_picture": partial(self.walking.go, 1),
            "previous_picture": partial(self.walking.go, -1),
            "comparison": self.comparison.ask,
            "save_project": self.project_files.save,
            "save_project_as": self.project_files.ask_save,
            "save_remedy": self.remedy_files.ask_save,
            "apply_remedy": self.remedy_files.ask_apply,
            "cancel": self.escape,
            "undo": commands.undo,
            "redo": commands.redo,
            "copy": commands.copy_step,
            "copy_route": commands.copy_route,
            "paste": commands.paste,
            "propose": session.measuring.propose,
            "learn": self.learning.ask,
            "add": self.route_bar.show_steps,
            "switch": commands.switch,
            "previous": partial(commands.choose_beside, -1),
            "next": partial(commands.choose_beside, 1),
            "earlier": commands.on_step(session.move_step, -1),
            "later": commands.on_step(session.move_step, 1),
            "duplicate": commands.duplicate,
            "rename": commands.on_step(self.route_bar.ask_name),
            "remove": commands.remove,
        }

    def _view_commands(self) -> dict[str, Callable[[], object]]:
        """Return what the actions do that concern the view."""
        canvas = self.canvas
        return {
            "states": self.show_states,
            "fit": lambda: self.output_view.view.show_whole() if self.output.shown else canvas.fit(),
            "zoom1": partial(self._set_zoom, 1.0),
            "zoom2": partial(self._set_zoom, 2.0),
            "zoom4": partial(self._set_zoom, 4.0),
            "closer": partial(self._step_zoom, 1),
            "farther": partial(self._step_zoom, -1),
            "monitor": self.display.ask_monitor,
            "no_monitor": partial(self.display.set_monitor, None),
            "pin": self.proof_strip.add_middle,
            "pins": self.proofs.choose_again,
            "take": self.commands.keep_take,
            "channel": self.compare_bar.next_channel,
            "take_stretch": self.stretch.move_into_route,
            "lamp": self.compare_bar.switch_lamp,
            "parts": lambda: canvas.parts.set_open(not canvas.parts.open),
            "spare": canvas.parts.spare,
            "keys": self.show_keys,
            "what": QWhatsThis.enterWhatsThisMode,
            "tour": self.tour,
            "guide": partial(show_guide, self),
        }

    def _lay_out(self) -> None:
        self.header = Header(self.session, self.actions_by_name)
        self.bar = bar = PictureBar(self.canvas, self.compare_bar, self.actions_by_name)
        strip = Strip(self.proof_strip, self.readings)
        pictures = QWidget()
        beside = QHBoxLayout(pictures)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.canvas, 1)
        beside.addWidget(self.tray)
        right = _column(self.findings, pictures, bar, stretched=pictures)
        edges = {
            "controls": Edge(
                "left", tr("Edge of the controls"), tr("A click folds the controls away, or shows them (F6)")
            ),
            "route": Edge("top", tr("Edge of the route"), tr("A click folds the route away, or shows it (F8)")),
        }
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.controls)
        middle.addWidget(edges["controls"])
        middle.addLayout(right, 1)
        work = QWidget()
        column = _column(self.route_bar, edges["route"])
        column.addLayout(middle, 1)
        column.addWidget(self.proof_strip.grip)
        column.addWidget(strip)
        work.setLayout(column)
        self._make_room(edges, bar, strip)
        self.tab_order = TabOrder(
            self,
            [
                self.header,
                self.start_page,
                self.output_view,
                self.route_bar,
                edges["route"],
                self.findings,
                self.canvas,
                self.controls.pages,
                self.controls.foot,
                edges["controls"],
                bar,
                self.tray,
                self.proof_strip.grip,
                strip,
            ],
        )
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(work)
        self.pages.addWidget(self.output_view)
        body = QWidget()
        body.setLayout(_column(self.header, self.pages, stretched=self.pages))
        self.setCentralWidget(body)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Go by Tab where the eye goes."""
        return self.tab_order.move(forward)

    def _make_room(self, edges: dict[str, Edge], bar: QWidget, strip: QWidget) -> None:
        """Let the panels be folded away, and the picture be shown alone."""
        actions, grip, menu_bar = self.actions_by_name, self.proof_strip.grip, self.menuBar()
        assert menu_bar is not None
        panels = [
            Panel("controls", self.controls, edges["controls"], actions["controls"]),
            Panel("route", self.route_bar, edges["route"], actions["route"]),
            Panel("strip", strip, grip, actions["strip"], lambda: self.proof_strip.at_least),
        ]
        self.addActions(list(actions.values()))  # keys act while the menus are hidden too
        shown = ("alone", "fit", "zoom1", "wipe", "lamp", "switch", "next_picture", "previous_picture")
        around = (menu_bar, self.header, self.findings, bar)
        keys = [actions[name] for name in shown]
        self.tray.wanted = lambda: actions["tray"].isChecked() and not actions["alone"].isChecked()
        self.room = Room(self, self.canvas, self.memory, panels, around, actions["alone"], keys)

    def _connect(self) -> None:
        session = self.session
        for signal in (session.opened, session.chosen, self.walking.changed):
            signal.connect(self._refresh)
        session.edited.connect(lambda dragging: self._refresh())
        session.opened.connect(self._begin_looking)
        self.output.turned.connect(self._refresh)
        session.opened.connect(lambda: self.left_open.note(self.walking.left))
        session.opened.connect(lambda: self.watch.follow(session.path, session.stamp))
        session.chosen.connect(self._show_chosen)
        session.tasks.changed.connect(self._show_page)
        session.told.connect(self.tell)
        session.offered.connect(self.offer)
        session.restored.connect(self.looked_at.restore)
        session.view = self.looked_at.values
        self.walking.keep_look = self.looked_at.keep
        # A message goes when what it was about has passed.
        session.opened.connect(self.message.forget_offer)
        session.opened.connect(self.message.pass_by)
        session.opened.connect(self.beside.suggest)  # after the last picture's offer has gone
        session.edited.connect(lambda dragging: self.message.pass_by())
        self._connect_views()

    def _connect_views(self) -> None:
        self.proof_strip.told.connect(lambda text: self.message.tell(text, False))
        self.proof_strip.sized.connect(partial(self.memory.put, "proof_height"))
        self.readings.reported.connect(self.findings.take_report)
        self.readings.reported.connect(lambda report: self.route_bar.refresh())
        self.readings.reported.connect(self.limits.take)
        self.readings.reported.connect(lambda report: self.small.keep())
        self.limits.found.connect(lambda: self.controls.show_limit(self.limits.limit))
        self.proofs.chosen.connect(self.findings.search)  # the proofs come first
        self.watch.told.connect(lambda text: self.message.tell(text, True))
        self.tiles.state.connect(self.bar.show_state)
        self.compare.changed.connect(self._compare_anew)
        self.compare.changed.connect(lambda: self.controls.show_channel(self.compare.now.appearance.see))
        self.controls.peeked.connect(self.compare.peek)
        self.controls.picked.connect(self.picking.colour)
        self.controls.marking.connect(self.picking.area)
        self.findings.pointed.connect(self.picking.bare_place)
        panel = self.controls.where_panel
        panel.picked.connect(self.picking.range)
        panel.saved.connect(self.mask_files.ask_save)
        panel.loaded.connect(self.mask_files.ask_load)
        self.canvas.moved.connect(self._move_detail)
        self.display.changed.connect(self.proofs.render)
        self.display.changed.connect(self._refresh)
        self.start_page.asked.connect(self.walking.ask)
        self.walking.project.connect(self.project_files.open)
        self.walking.frames.connect(self.beside.combine)
        self.project_files.loaded.connect(self.walking.open_project)
        self.start_page.picked.connect(lambda path: self.walking.open([path]))
        self.start_page.sample.connect(self.walking.open_sample)

    # -- showing ----------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        """Show what is open, and enable what can be done to it."""
        session, actions = self.session, self.actions_by_name
        ready = session.engine is not None
        needs = {
            NEED_PICTURE: ready,
            MODES: ready,
            NEED_STEP: session.step is not None,
            NEED_ROUTE: len(session.route) > 0,
        }
        for names, met in needs.items():
            for name in names:
                actions[name].setEnabled(met)
        if self.output.shown:
            for name in (*NEED_MAIN_PAGE, *MODES):
                actions[name].setEnabled(False)
        self.bar.hold.setEnabled(ready)
        actions["reread"].setEnabled(session.path is not None)
        actions["no_monitor"].setVisible(self.display.has_monitor)
        self.walking.enable(actions["next_picture"], actions["previous_picture"])
        for name, label in (("undo", session.history.undo_label), ("redo", session.history.redo_label)):
            actions[name].setEnabled(bool(label) or session.dragging)
            actions[name].setText(f"{tr(name.capitalize())} {tr(label)}".strip())
        self.header.refresh(self.walking.position)
        name = shown_name(session.path) if session.path else session.engine.source.name if session.engine else ""
        self.setWindowTitle(tr("{name}[*] – Dustpan", name=name) if name else "Dustpan")
        self.setWindowModified(session.changed and bool(name))
        self._show_page()

    def _show_page(self) -> None:
        """Show the picture, or how to begin while there is none."""
        work = self.session.engine is not None or self.session.opening.under_way
        if self.pages.currentIndex() != int(work) and not (work and self.pages.currentWidget() is self.output_view):
            self.start_page.refresh()
            self.pages.setCurrentIndex(int(work))

    def _begin_looking(self) -> None:
        """Show a new picture plainly; one of linear light and a dark sky is stretched for the eye."""
        self.compare.set(mode="", against="original", appearance=Appearance())
        if self.session.engine.source.telescope:
            self.stretch.switch(True)
        untouched = all(step.develops for step in self.session.route)
        if self.actions_by_name["propose_always"].isChecked() and untouched and not self.session.history.at:
            self.session.measuring.propose()

    def _show_chosen(self) -> None:
        """Show what belongs to the step that was chosen."""
        if self.compare.now.mode == "inside" or self.compare.now.against == INPUT:
            self._compare_anew()

    def _compare_anew(self) -> None:
        """Show both sides as they are compared now."""
        self.other.active = self.compare.shows_other
        self.tiles.refresh()
        self.other.refresh()
        self._move_detail()

    def _move_detail(self) -> None:
        self.compare_bar.move_detail(QPoint(self.canvas.width() - 8, 8))

    def _show_where(self) -> None:
        """Show the mask of the chosen step as the menu says."""
        alone, hatched = (self.actions_by_name[name].isChecked() for name in ("where_alone", "where"))
        self.canvas.mask_view.show_as(GREY if alone else HATCHED if hatched else HIDDEN)

    def tell(self, text: str, harm: bool) -> None:
        """Show a message; with no picture there is no picture to show it on."""
        self.message.setParent(self.canvas if self.pages.currentIndex() else self.start_page)
        self.message.tell(text, harm)

    def offer(self, text: str, label: str, act: Callable[[], None], refuse: Callable[[], None]) -> None:
        """Show a message with something to do about it, wherever there is room for it."""
        self.message.setParent(self.canvas if self.pages.currentIndex() else self.start_page)
        self.message.offer(text, label, act, refuse)

    def show_states(self) -> None:
        """Show takes and history under their button."""
        self.header.show_below_states(self.states.open_at)

    def hand_back_to(self, target: Path) -> HandBack:
        """Show a button that writes the picture to a file and closes the window."""
        self.hand_back = HandBack(self.session, target, self)
        self.header.add_last(self.hand_back.button)
        return self.hand_back

    def tour(self) -> None:
        """Show the hints again, on a sample where no picture is open."""
        if self.session.engine is None and not self.session.opening.under_way:
            self.walking.open_sample("bench")
        self.hints.tour()

    def show_keys(self) -> None:
        """List all keys."""
        KeysDialog(keys_of(self._menus), self).open()

    def _set_zoom(self, zoom: float) -> None:
        (self.output_view.view if self.output.shown else self.canvas).set_zoom(zoom)

    def _step_zoom(self, steps: int) -> None:
        self.output_view.view.step_zoom(steps) if self.output.shown else self.canvas.zoom_by(steps)

    def open_files(self, paths: list[Path], *, read: Callable[[], Source] | None = None) -> None:
        """Open pictures together; see `Walking.open`."""
        self.walking.open(paths, read=read)

    # -- events -----------------------------------------------------------------------------------------------

    def escape(self) -> None:
        """End a drag or a pick; else close a message; else cancel the newest work; else leave what has the focus."""
        if self.commands.end_drag() or self.commands.end_pick() or self.message.close_by_key():
            return
        if self.header.task_bar.cancel_newest():
            return
        self.output.leave()
        self.room.show_alone(False)
        self.setFocus()

    def dragEnterEvent(self, event):
        """Take files that are dropped."""
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event):
        """Open what was dropped."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.walking.open(paths)

    def keyPressEvent(self, event):
        """Show the other side while H is held; what nothing else takes moves the picture."""
        if event.key() == Qt.Key.Key_H and not event.modifiers():
            if not event.isAutoRepeat():
                (self.output_view if self.output.shown else self.canvas).hold(True)
        elif self.output.shown:
            self.output.press(event.key())
        elif self.session.engine is not None:
            self.canvas.keyPressEvent(event)

    def keyReleaseEvent(self, event):
        """Show the route's result again."""
        if event.key() == Qt.Key.Key_H and not event.isAutoRepeat():
            (self.output_view if self.output.shown else self.canvas).hold(False)
        elif not self.output.shown:
            self.canvas.keyReleaseEvent(event)

    def event(self, event):
        """Say what anything is, when that is asked; leave room for longer words."""
        if event.type() == QEvent.Type.LayoutRequest:
            self.setMinimumWidth(max(_LEAST_SIZE[0], self.layout().totalMinimumSize().width()))
        return answer(self, event) or super().event(event)

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

    def resizeEvent(self, event):
        """Keep the message in its place."""
        super().resizeEvent(event)
        if self.message.isVisible():
            self.message.reposition()

    def _remembered_size(self) -> tuple[int, int]:
        size = self.memory.get("size", list(_SIZE))
        sound = len(size) == 2 and all(isinstance(side, int) and 600 <= side <= 10000 for side in size)
        return tuple(size) if sound else _SIZE

    # -- closing ----------------------------------------------------------------------------------------------

    def closeEvent(self, event):
        """Ask once when work under way would be lost; then end it all, and both pools."""
        under_way = [task.text for task in self.session.tasks.running if task.loses]
        under_way += self.beside.under_way
        if under_way and not self._may_lose:
            event.ignore()
            ask_to_end(self, under_way[0], self.close_at_once)
            return
        if not (self.isMaximized() or self.isFullScreen()):
            self.memory.put("size", [self.width(), self.height()])
        self.memory.put("maximised", self.isMaximized())
        self.session.keep_work()
        self.left_open.forget()
        self.session.tasks.cancel_all()
        self.beside.end()
        views = self.tiles, self.other, self.proofs, self.readings, self.findings, self.canvas
        for part in (*views, self.watch, self.values, self.tray):
            part.stop()
        self.jobs.close()
        self.closed.emit()
        super().closeEvent(event)

    def close_at_once(self) -> None:
        """Close without a question."""
        self._may_lose = True
        self.close()


def _column(*widgets: QWidget, stretched: QWidget | None = None) -> QVBoxLayout:
    """Return a column without margins; one widget takes the room that is left."""
    column = QVBoxLayout()
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    for widget in widgets:
        column.addWidget(widget, int(widget is stretched))
    return column
