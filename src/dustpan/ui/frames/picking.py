"""Two clicks that say how a target, such as a comet, moves against the stars."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox, QPushButton

from dustpan.ui.frames.work import FramesWork
from dustpan.ui.translation import tr


class TargetPicking:
    """Ask for the target in the first and in the last frame, then have it followed.

    Parameters
    ----------
    button : begins, and ends the following.
    registered : turned on while the target is pointed at.
    look_at : shows a frame by its index.
    ask : shows what is to be done; nothing takes it away.
    """

    def __init__(
        self,
        work: FramesWork,
        button: QPushButton,
        registered: QCheckBox,
        look_at: Callable[[int], None],
        ask: Callable[[str], None],
    ):
        self.work, self.button, self.registered, self.look_at, self.ask = work, button, registered, look_at, ask
        self.under_way = False
        self._first: tuple[int, int] | None = None

    def turn(self, on: bool) -> None:
        """Begin to ask, or follow the stars again."""
        if not on:
            self.end()
            if self.work.series.follow is not None:
                self.work.follow_none()
        elif len(self.work.order) < 2:
            self.refresh()
        else:
            self.under_way, self._first = True, None
            self.registered.setChecked(True)
            self.look_at(self.work.order[0])
            self.ask(tr("Click the target in this first frame."))

    def take(self, place: tuple[int, int]) -> None:
        """Take a place that was clicked."""
        if not self.under_way:
            return
        if self._first is None:
            self._first = place
            self.look_at(self.work.order[-1])
            self.ask(tr("Click the same target in this last frame."))
            return
        first = self._first
        self.end()
        self.work.follow(first, place)

    def end(self) -> None:
        """Ask no more."""
        self.under_way, self._first = False, None
        self.ask("")
        self.refresh()

    def refresh(self) -> None:
        """Show whether a target is followed."""
        follows = self.work.series.follow is not None
        self.button.setChecked(follows or self.under_way)
        self.button.setText(tr("Following a target ×") if follows else tr("Follow a target …"))
