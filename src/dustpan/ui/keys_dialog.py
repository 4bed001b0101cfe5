"""The list of all keys, in columns that fit a small screen."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured

_COLUMNS = 3
_HELD = (
    ("H", "Hold to see the other side"),
    ("Space", "Hold to drag the picture"),
    ("Arrows", "Move the picture"),
    ("Wheel", "Zoom at the pointer"),
    ("Click", "Actual pixels, and back"),
    ("Shift+arrow", "Move a slider in fine steps"),
)


class KeysDialog(QDialog):
    """Show every key with what it does, menu by menu."""

    def __init__(self, groups: Sequence[tuple[str, Sequence[tuple[str, str]]]], parent: QWidget | None = None):
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        columns = [QVBoxLayout() for _ in range(_COLUMNS)]
        heights = [0] * _COLUMNS
        for name, rows in [(tr("On the picture"), _HELD), *groups]:
            shortest = heights.index(min(heights))
            heights[shortest] += len(rows) + 2
            columns[shortest].addLayout(_group(name, rows))
        body = QWidget()
        row = QHBoxLayout(body)
        row.setSpacing(26)
        for column in columns:
            column.addStretch()
            row.addLayout(column, 1)
        scroll = configured(QScrollArea(), widgetResizable=True)
        scroll.setWidget(body)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        for button in buttons.buttons():
            button.setIcon(QIcon())
        buttons.rejected.connect(self.reject)
        whole = QVBoxLayout(self)
        whole.addWidget(scroll, 1)
        whole.addWidget(buttons)
        room = parent.window().size() if parent else self.sizeHint()
        self.resize(min(1120, room.width() - 60), min(600, room.height() - 120))


def _group(name: str, rows: Sequence[tuple[str, str]]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(12)
    grid.setVerticalSpacing(2)
    grid.setContentsMargins(0, 0, 0, 14)
    grid.addWidget(configured(QLabel(tr(name).upper()), objectName="faint"), 0, 0, 1, 2)
    for number, (key, what) in enumerate(rows, start=1):
        pressed = QLabel(tr(key))
        pressed.setStyleSheet(f"color: {theme.VERDIGRIS};")
        grid.addWidget(pressed, number, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(QLabel(tr(what)), number, 1)
    grid.setColumnStretch(1, 1)
    return grid
