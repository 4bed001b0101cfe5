"""The choice how much noise proposals may leave."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from dustpan.ui.memory import Memory
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.choice_menu import fill_choices

_CHOICES = (
    (0.6, "None, on a fine screen", "For screens that are finer than usual, or seen from nearer than 60 cm"),
    (1.0, "None to be seen", "As much as can just not be seen at 100 % from 60 cm"),
    (1.8, "A trace", "A little that shows at 100 %, which keeps pictures from looking drawn"),
    (3.0, "Some", "Clearly there at 100 %; gone in most prints"),
)
_KEY = "visible_noise"


def fill_staying_menu(menu: QMenu, session: Session, memory: Memory) -> None:
    """Add a choice for each amount, and take up the one that was made last."""
    session.set_visible(memory.get(_KEY, 1.0))

    def choose(visible: float) -> None:
        memory.put(_KEY, visible)
        session.set_visible(visible)

    fill_choices(menu, _CHOICES, session.visible, choose)
