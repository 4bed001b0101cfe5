"""Take a widget off the screen for good."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QWidget


def discard(widget: QWidget) -> None:
    """Hide a widget and delete it when the event that is being handled is over.

    The widget may be what asked for this. Focus inside it goes to the window first: Qt would pass it on as if Tab had
    been pressed, and what is reached by Tab may act.
    """
    focused = QApplication.focusWidget()
    if focused is not None and (focused is widget or widget.isAncestorOf(focused)):
        widget.window().setFocus()
    widget.hide()
    widget.deleteLater()
