"""What the keys and menus do to the route: walking through its steps, undoing, copying and pasting."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.core.document.copying import write_steps
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.sliders import Groove
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
        for hand in (self.canvas.ellipse, self.canvas.gradient, self.canvas.brush):
            hand.let_go()

    def copy_step(self) -> None:
        """Copy the chosen card as text."""
        if (step := self.session.step) is not None:
            QApplication.clipboard().setText(write_steps(step, wheres=self.session.route.wheres))
            self.message.tell(f"Copied {step.title}.", False)

    def copy_route(self) -> None:
        """Copy the whole route as text."""
        if len(self.session.route):
            QApplication.clipboard().setText(write_steps(*self.session.route, wheres=self.session.route.wheres))
            self.message.tell("Copied the route.", False)

    def paste(self) -> None:
        """Paste a value, a card or a route."""
        if self.session.engine is not None:
            self.session.paste(QApplication.clipboard().text())

    def keep_take(self) -> None:
        """Keep the route as it stands as a take."""
        self.message.tell(f"Kept as {self.session.keep_take()}.", False)
