"""The choice what happens to the work of before when a picture is opened again."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from dustpan.ui.memory import Memory
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.choice_menu import fill_choices

_CHOICES = (
    (True, "Take up its route at once", "Route, takes, proofs and zoom stand as they were left"),
    (False, "Offer its route", "The picture is shown as it came, with a word that brings its route back"),
)
_KEY = "takes_up_work"


def fill_taking_up_menu(menu: QMenu, session: Session, memory: Memory) -> None:
    """Add both choices, and take up the one that was made last."""
    session.takes_up = memory.get(_KEY, True)

    def choose(at_once: bool) -> None:
        memory.put(_KEY, at_once)
        session.takes_up = at_once

    fill_choices(menu, _CHOICES, session.takes_up, choose)
