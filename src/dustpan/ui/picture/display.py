"""How the picture is shown: the monitor's profile, the surround, and the stretch of dark linear pictures."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu

from dustpan.core.filters.viewing import stretch_for
from dustpan.core.picture.base import Base
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.memory import Memory
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import Compare
from dustpan.ui.picture.screen import read_profile
from dustpan.ui.picture.tiles import Tiles
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.choice_menu import fill_choices
from dustpan.ui.widgets.messages import Message

_PROFILES = "Profiles (*.icc *.icm);;All files (*)"


class Display(QObject):
    """Hold what changes the view of every picture, and remember it.

    Signals
    -------
    changed : colours are shown in another way.
    """

    changed = pyqtSignal()

    def __init__(self, canvas: Canvas, sides: Sequence[Tiles], memory: Memory, message: Message):
        super().__init__(canvas)
        self.canvas, self.sides, self.memory, self.message = canvas, sides, memory, message
        surround = memory.get("surround", "dark")
        self.canvas.surround = surround if surround in theme.SURROUNDS else "dark"
        if monitor := memory.get("monitor", ""):
            self.set_monitor(Path(monitor))

    @property
    def has_monitor(self) -> bool:
        """Whether a monitor's profile is in use."""
        return bool(self.sides[0].monitor)

    def ask_monitor(self) -> None:
        """Ask for the file of the monitor's profile."""
        start = self.memory.get("monitor", "")
        name, _ = QFileDialog.getOpenFileName(self.canvas.window(), tr("Profile of the monitor"), start, tr(_PROFILES))
        if name:
            self.set_monitor(Path(name))

    def set_monitor(self, path: Path | None) -> None:
        """Show colours through a monitor's profile from now on; one that can't be used is reported."""
        block = b""
        if path is not None:
            try:
                block = path.read_bytes()
            except OSError as fault:
                self.message.tell(tr("{path}: can't be opened ({reason}).", path=path, reason=fault.strerror), True)
                return
            if read_profile(block) is None:
                self.message.tell(tr("{path}: holds no colour profile of a monitor that can be used.", path=path), True)
                return
        self.memory.put("monitor", str(path or ""))
        for tiles in self.sides:
            tiles.monitor = block
            tiles.start()
        self.changed.emit()

    def set_surround(self, name: str) -> None:
        """Show the picture on another grey."""
        self.canvas.surround = name
        self.memory.put("surround", name)
        self.canvas.update()

    def fill_surround_menu(self, menu: QMenu) -> None:
        """Add a choice for each surround."""
        tip = "Show the picture on a {name} grey; it changes how bright it looks"
        choices = [(name, tr(name.capitalize()), tr(tip, name=tr(name))) for name in theme.SURROUNDS]
        fill_choices(menu, choices, self.canvas.surround, self.set_surround)


class Stretch(QObject):
    """Lift a dark picture of linear light for the eye alone."""

    def __init__(self, session: Session, compare: Compare, message: Message):
        super().__init__(compare)
        self.session, self.compare, self.message = session, compare, message

    @property
    def on(self) -> bool:
        """Whether the view is stretched."""
        return self.compare.now.appearance.stretch > 0

    def switch(self, on: bool) -> None:
        """Stretch the view by what its tones need, or not at all."""
        engine = self.session.engine
        if engine is None or on == self.on:
            return
        if not on:
            self.compare.change_appearance(stretch=0.0)
            return
        job = partial(_find_stretch, engine.base)
        self.session.jobs.run(job, self._take, priority=Priority.VIEW_DRAFT, token=Token())

    def move_into_route(self) -> None:
        """Set the stretch of the view as an Exposure step, so that it is exported too."""
        stretch = self.compare.now.appearance.stretch
        if stretch > 0:
            self.compare.change_appearance(stretch=0.0)
            self.session.set_in("exposure", "stretch", stretch)

    def _take(self, stretch: float) -> None:
        self.compare.change_appearance(stretch=stretch)
        self.compare.changed.emit()
        if stretch > 0:
            self.message.tell(
                tr("Shown with a stretch of {stretch:g}; the picture itself is as it was.", stretch=stretch), False
            )


def _find_stretch(base: Base) -> float:
    return stretch_for(base.read_overview())
