"""Giving the picture back to the program that has asked for it: one button writes it and closes the window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QPushButton, QWidget

from dustpan.files.save import DEFAULT_QUALITY, format_for
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.text import shown_name

GIVEN_UP = 3  # exit status where nothing was written
_KEY = "Ctrl+Return"


class HandBack(QObject):
    """A button that writes the open picture to a file that was named beforehand, over what is there, and closes.

    Attributes
    ----------
    status : of the process when it ends: 0 once it was written, else `GIVEN_UP`.
    """

    def __init__(self, session: Session, target: Path, window: QWidget):
        super().__init__(window)
        self.session, self.target, self.window = session, target.absolute(), window
        self.status = GIVEN_UP
        self.button = configured(QPushButton(tr("Hand back")), objectName="accent")
        self.button.setShortcut(QKeySequence(_KEY))
        self.button.setToolTip(tr("Write {name} with this route and close ({key})", name=shown_name(target), key=_KEY))
        self.button.clicked.connect(self.write)
        session.exporting.saved.connect(self._end)
        session.opened.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Let it be pressed once there is a picture."""
        self.button.setEnabled(self.session.engine is not None)

    def write(self) -> None:
        """Write the file in the format of its name."""
        engine = self.session.engine
        if engine is not None:
            native = engine.source.pixels.dtype if engine.source.mosaic is None else np.dtype(np.uint16)
            name = format_for(self.target, native).name
            self.session.exporting.export(self.target, name, quality=DEFAULT_QUALITY, overwrite=True)

    def _end(self, written: str) -> None:
        if Path(written) == self.target:
            self.status = 0
            self.window.close()
