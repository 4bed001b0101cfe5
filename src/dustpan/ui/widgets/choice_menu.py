"""A menu of choices, of which one holds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from PyQt6.QtGui import QActionGroup
from PyQt6.QtWidgets import QMenu

from dustpan.ui.translation import tr


def fill_choices(
    menu: QMenu, choices: Iterable[tuple[Any, str, str]], chosen: Any, choose: Callable[[Any], None]
) -> None:
    """Add an action for each choice.

    Parameters
    ----------
    choices : value, name and tip of each.
    chosen : the value that holds now.
    choose : takes the value of the one that is picked.
    """
    group = QActionGroup(menu)
    menu.setToolTipsVisible(True)

    def take(value: Any, on: bool) -> None:
        choose(value)

    for value, name, tip in choices:
        action = group.addAction(tr(name))
        assert action is not None
        action.setCheckable(True)
        action.setChecked(value == chosen)
        action.setToolTip(tr(tip))
        action.triggered.connect(partial(take, value))
        menu.addAction(action)
