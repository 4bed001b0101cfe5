"""What the keys and menus do to the route: walking through its steps, undoing, copying and pasting."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.core.document.copying import write_steps
from dustpan.core.document.route import Part
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.sliders import Groove
from dustpan.ui.widgets.tone_ends import ToneEnds
from dustpan.ui.widgets.tone_plot import TonePlot


class Commands:
    """Act on a session's route and its chosen step."""

    def __init__(self, session: Session, canvas: Canvas, message: Message, window: QWidget):
        self.session, self.canvas, self.message, self.window = session, canvas, message, window

    def on_step(self, run: Callable, *rest: object) -> Callable[[], None]:
        """Return what calls `run` with the id of the chosen step, where one is chosen."""

        def act() -> None:
            if self.session.step:
                run(self.session.chosen_id, *rest)

        return act

    def remove(self) -> None:
        """Take the part at hand out of its Where, or the chosen step out of the route."""
        self._on_part_or_step(lambda part: self.canvas.parts.remove(part.id), self.session.remove_step)

    def switch(self) -> None:
        """Turn the part at hand, or the chosen step, on or off."""
        self._on_part_or_step(self.canvas.parts.switch, self.session.switch_step)

    def duplicate(self) -> None:
        """Add a copy after the part at hand, or after the chosen step."""
        self._on_part_or_step(lambda part: self.canvas.parts.duplicate(part.id), self.session.duplicate_step)

    def _on_part_or_step(self, on_part: Callable[[Part], None], on_step: Callable[[str], None]) -> None:
        """Act on the part at hand while the parts are shown; else on the chosen step."""
        parts = self.canvas.parts
        if self.session.step is None:
            return
        if not parts.open:
            on_step(self.session.step.id)
        elif parts.part is not None:
            on_part(parts.part)
        else:
            self.message.tell(tr("This Where has no part; W goes back to the step."), False)

    def end_pick(self) -> bool:
        """End what the next click on the picture would do (a pick, a brush); return whether there was anything."""
        if self.canvas.asking:
            self.canvas.drop_question()
            return True
        parts = self.canvas.parts
        if parts.open and (self.canvas.brush.part is not None or self.canvas.clicks.part is not None):
            parts.set_open(False)
            return True
        return False

    def choose_beside(self, by: int) -> None:
        """Choose the step before or after the chosen one."""
        route = self.session.route
        if len(route):
            index = route.index(self.session.chosen_id or "") + by if self.session.step else 0
            self.session.choose(route.steps[min(max(index, 0), len(route) - 1)].id)

    def undo(self) -> None:
        """Undo; during a drag, only give the drag up."""
        self._end_drags()
        self.session.undo()

    def redo(self) -> None:
        """Redo; during a drag, only give the drag up."""
        self._end_drags()
        self.session.redo()

    def end_drag(self) -> bool:
        """Give up a drag under way; return whether there was one."""
        if not self.session.dragging:
            return False
        self._end_drags()
        self.session.end_drag()
        return True

    def _end_drags(self) -> None:
        """Let go of what is held with the mouse."""
        if not self.session.dragging:
            return
        for groove in self.window.findChildren(Groove):
            groove.let_go()
        for plot in self.window.findChildren(TonePlot):
            plot.let_go()
        for ends in self.window.findChildren(ToneEnds):
            ends.let_go()
        for hand in (self.canvas.ellipse, self.canvas.gradient, self.canvas.brush):
            hand.let_go()

    def copy_step(self) -> None:
        """Copy the chosen card as text."""
        if (step := self.session.step) is not None:
            QApplication.clipboard().setText(write_steps(step, wheres=self.session.route.wheres))
            self.message.tell(tr("Copied {step}.", step=tr(step.title)), False)

    def copy_route(self) -> None:
        """Copy the whole route as text."""
        if len(self.session.route):
            QApplication.clipboard().setText(write_steps(*self.session.route, wheres=self.session.route.wheres))
            self.message.tell(tr("Copied the route."), False)

    def paste(self) -> None:
        """Paste a value, a card or a route."""
        if self.session.engine is not None:
            self.session.paste(QApplication.clipboard().text())

    def keep_take(self) -> None:
        """Keep the route as it stands as a take."""
        self.message.tell(tr("Kept as {name}.", name=self.session.keep_take()), False)
