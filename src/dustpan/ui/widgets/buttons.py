"""Buttons as most panels have them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from dustpan.ui.widgets.configured import configured


def word_button(words: str, tip: str) -> QPushButton:
    """Return a button that a click leaves the focus where it was, and Tab reaches."""
    button = configured(QPushButton(words), toolTip=tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button
