"""How large the interface is drawn; it is read before the window is made."""

from __future__ import annotations

import os
from collections.abc import Callable

from PyQt6.QtWidgets import QMenu

from dustpan.ui.memory import Memory
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice_menu import fill_choices

_KEY = "interface_size"
_USUAL = 100
_SIZES = (100, 125, 150, 175, 200)  # percent


def apply_size(memory: Memory) -> None:
    """Draw the interface as large as was chosen, unless the environment says otherwise; before the application."""
    size = memory.get(_KEY, _USUAL)
    if size != _USUAL and size in _SIZES and "QT_SCALE_FACTOR" not in os.environ:
        os.environ["QT_SCALE_FACTOR"] = str(size / 100)


def fill_size_menu(menu: QMenu, memory: Memory, tell: Callable[[str, bool], None]) -> None:
    """Add a choice for each size."""

    def choose(size: int) -> None:
        memory.put(_KEY, size)
        tell(tr("The interface is drawn at {size} % from the next start on.", size=size), False)

    choices = [
        (size, f"{size} %", tr("Draw words, buttons and sliders at {size} % of their usual size", size=size))
        for size in _SIZES
    ]
    fill_choices(menu, choices, memory.get(_KEY, _USUAL), choose)
