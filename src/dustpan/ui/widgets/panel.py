"""The raised ground on which a window's settings stand."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from dustpan.ui.widgets.configured import configured

_MARGINS = 14, 12, 14, 12  # px


def make_panel(*, width: int = 0, spacing: int = 8) -> tuple[QWidget, QVBoxLayout]:
    """Return a panel and the column of its widgets.

    Parameters
    ----------
    width : px that it has at least, and does not grow past what its widgets need; 0 for one that grows.
    spacing : px between its widgets.
    """
    panel = configured(QWidget(), objectName="panel")
    panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    if width:
        panel.setMinimumWidth(width)
        panel.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
    column = QVBoxLayout(panel)
    column.setContentsMargins(*_MARGINS)
    column.setSpacing(spacing)
    return panel, column
