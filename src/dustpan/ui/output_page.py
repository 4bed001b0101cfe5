"""The picture as it would be exported, on a page of its own in place of the main one, and the question before it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from dustpan.core.render.finishing import Finish
from dustpan.ui.export_dialog import SEE_FIRST, ExportDialog, kept_finish
from dustpan.ui.memory import Memory
from dustpan.ui.output_view import OutputView
from dustpan.ui.session.session import Session

_PANS = {
    Qt.Key.Key_Left: (-80, 0),
    Qt.Key.Key_Right: (80, 0),
    Qt.Key.Key_Up: (0, -80),
    Qt.Key.Key_Down: (0, 80),
}  # px of the screen, by which the arrow keys move the output


class OutputPage(QObject):
    """Go to the page of the output and back.

    Signals
    -------
    turned : the page was reached or left.
    """

    turned = pyqtSignal()

    def __init__(self, session: Session, view: OutputView, memory: Memory, pages: QStackedWidget, window: QWidget):
        super().__init__(window)
        self.session, self.view, self.memory, self.pages, self.window = session, view, memory, pages, window
        view.left.connect(self.leave)
        for signal in (session.opened, session.edited):
            signal.connect(lambda *_: self.leave())

    @property
    def shown(self) -> bool:
        """Whether the output is shown; keys belong to it then."""
        return self.pages.currentWidget() is self.view

    def see(self, finish: Finish | None = None) -> None:
        """Show the picture as it would be exported; by default as it was exported or looked at last."""
        self.pages.setCurrentWidget(self.view)
        self.turned.emit()
        self.view.make(finish or kept_finish(self.memory))

    def leave(self) -> None:
        """Go back to the picture."""
        if self.shown:
            self.view.forget()
            self.pages.setCurrentIndex(1)
            self.turned.emit()

    def ask_export(self) -> None:
        """Ask where to export to, and do it."""
        dialog = ExportDialog(self.session.path, self.session.engine.source, self.memory, self.window)
        ended = dialog.exec()
        if ended == SEE_FIRST:
            self.see(dialog.finish)
        elif ended:
            self.leave()
            quality, overwrite = round(dialog.quality.value), dialog.overwrite.isChecked()
            how: dict[str, Any] = {"quality": quality, "overwrite": overwrite, "finish": dialog.finish}
            how |= {"also": dialog.also.also, "with_original": dialog.with_original.isChecked()}
            self.session.exporting.export(dialog.target, dialog.format_name, **how)

    def press(self, key: int) -> None:
        """Move the output by an arrow key."""
        if (by := _PANS.get(Qt.Key(key))) is not None:
            self.view.view.pan(*by)
