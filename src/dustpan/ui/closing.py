"""The question before work under way is lost."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget

from dustpan.ui.translation import tr


def ask_to_end(window: QWidget, under_way: str, close: Callable[[], None]) -> None:
    """Ask whether a window shall be closed; the default answer goes on. `close` closes it without a question."""
    box = QMessageBox(window)
    box.setWindowTitle(tr("Close"))
    box.setText(tr("{under_way} is under way.", under_way=under_way))
    box.setInformativeText(tr("Closing stops it; no file is left half-written."))
    stop = box.addButton(tr("Stop it and close"), QMessageBox.ButtonRole.DestructiveRole)
    box.setDefaultButton(box.addButton(tr("Go on"), QMessageBox.ButtonRole.RejectRole))
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    stop.clicked.connect(close)
    box.open()
