"""What anything in the window is: the texts of the tips, shown by a click, and held until the next one."""

from __future__ import annotations

from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QWhatsThis, QWidget

from dustpan.ui.translation import tr


def words_of(widget: QWidget | None) -> str:
    """Return what is said of a widget, or of the nearest one that it lies in."""
    while widget is not None:
        if text := widget.whatsThis() or widget.toolTip() or widget.accessibleDescription():
            name = widget.accessibleName()
            return f"{name}: {text}" if name and name not in text else text
        widget = widget.parentWidget()
    return ""


def answer(window: QWidget, event: QEvent) -> bool:
    """Answer the question what lies under the pointer; return whether it was asked.

    A widget that has nothing to say leaves the question to those that it lies in, and so to the window.
    """
    if not isinstance(event, QHelpEvent) or event.type() not in (QEvent.Type.QueryWhatsThis, QEvent.Type.WhatsThis):
        return False
    words = words_of(window.childAt(event.pos()))
    if event.type() == QEvent.Type.WhatsThis:
        QWhatsThis.showText(event.globalPos(), words or tr("There is nothing to say of this."), window)
    event.accept()
    return True
