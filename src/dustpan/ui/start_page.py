"""What stands in the window while no picture is open: what can be opened, recent pictures, the sample."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from dustpan.files import READS
from dustpan.simulate.scenes import SCENES
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.text import shown_name

_SHOWN = 6  # recent pictures
_WIDTH = 520


class StartPage(QWidget):
    """A quiet page with three ways to begin.

    Signals
    -------
    asked : a file is to be chosen.
    picked(path) : a recent picture is to be opened.
    sample(name) : a demo scene is to be opened.
    """

    asked = pyqtSignal()
    picked = pyqtSignal(object)
    sample = pyqtSignal(str)

    def __init__(self, recent: Callable[[], Sequence[str]], parent: QWidget | None = None):
        super().__init__(parent)
        self._recent = recent
        title = QLabel("Drop pictures here")
        title.setFont(theme.font(17))
        reads = configured(QLabel(f"or open them: {READS}."), objectName="faint", wordWrap=True)
        reads.setFixedWidth(_WIDTH)
        self.open_button = self._button("Open …", "Open a picture (Ctrl+O)", self.asked.emit)
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        column = QVBoxLayout()
        column.setSpacing(10)
        for widget in (title, reads, self.open_button):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignLeft)
        column.addSpacing(18)
        column.addLayout(self.list)
        column.addSpacing(18)
        column.addWidget(configured(QLabel("No picture at hand? Try a sample:"), objectName="faint"))
        for name, scene in SCENES.items():
            button = self._button(
                f"{name.capitalize()}: {scene.words}", "Open a made-up picture", partial(self.sample.emit, name)
            )
            column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        body = QWidget()
        body.setFixedWidth(_WIDTH)
        body.setLayout(column)
        whole = QVBoxLayout(self)
        whole.addStretch()
        whole.addWidget(body, 0, Qt.AlignmentFlag.AlignCenter)
        whole.addStretch()
        self.refresh()

    def _button(self, text: str, tip: str, run: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: run())
        return button

    def refresh(self) -> None:
        """List the recent pictures that are still there."""
        while self.list.count():
            if (widget := self.list.takeAt(0).widget()) is not None:
                discard(widget)
        there = [Path(name) for name in self._recent() if Path(name).is_file()][:_SHOWN]
        if there:
            self.list.addWidget(configured(QLabel("Opened recently:"), objectName="faint"))
        for path in there:
            button = self._button(shown_name(path), shown_name(path, whole=True), partial(self.picked.emit, path))
            button.setObjectName("quiet")
            self.list.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
