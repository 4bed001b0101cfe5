"""A list to choose one of several from, which takes the wheel and keys only where that can be meant."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QComboBox

MOST = 380  # px, width that it asks for at most
_LEAST = 260  # px, that it has in any case if its texts need them
_OWN_KEYS = (
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
    Qt.Key.Key_F4,
    Qt.Key.Key_Return,
    Qt.Key.Key_Enter,
)


class Choice(QComboBox):
    """A combo box: the wheel moves it only when it has the focus, and letters belong to the window.

    A click opens it and leaves the focus where it was; by Tab it is reached as ever. It is as wide as its widest
    text; what is longer than `MOST`, such as a name that the user gave, is shortened.
    """

    def __init__(self, tip: str = "", name: str = ""):
        super().__init__()
        self.setToolTip(tip)
        self.setAccessibleName(name or tip)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)

    def sizeHint(self) -> QSize:
        """Be as wide as the widest text, within reason."""
        wanted = super().sizeHint()
        return QSize(min(wanted.width(), MOST), wanted.height())

    def minimumSizeHint(self) -> QSize:
        """Leave no usual text of the program without room, in any language."""
        wanted = self.sizeHint()
        return QSize(min(wanted.width(), _LEAST), wanted.height())

    def wheelEvent(self, event):
        """Leave the wheel to what scrolls, unless the list was reached by Tab."""
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()

    def keyPressEvent(self, event):
        """Take the keys that move through a list; all else is the window's."""
        if event.key() in _OWN_KEYS or (event.key() == Qt.Key.Key_Space and not event.modifiers()):
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
                self.showPopup()
            else:
                super().keyPressEvent(event)
        else:
            event.ignore()
