"""The edge between the picture and a panel: a click folds the panel away, a drag makes it larger or smaller."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from dustpan.ui.widgets import theme

_THICK, _BAR = 7, 36  # px, of the edge and of the bar in its middle
_STILL = 3  # px that a click may move
_STEP = 12  # px, by the arrow keys


class Edge(QAbstractButton):
    """A thin rim with a short bar in its middle; a button to the desktop's assistive tools.

    Parameters
    ----------
    side : of the picture on which the panel stands: "left", "top" or "bottom".
    name : of the panel, for tips and screen readers.

    Signals
    -------
    clicked : the panel is to be folded away, or shown again.
    moved(px) : dragged toward the picture (above 0) or away from it.
    """

    moved = pyqtSignal(int)

    def __init__(self, side: str, name: str, tip: str):
        super().__init__()
        self._upright = side == "left"
        self._toward = -1 if side == "bottom" else 1
        self._from: float | None = None
        self._way = 0.0
        (self.setFixedWidth if self._upright else self.setFixedHeight)(_THICK)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)  # as long as the panel
        self.setCursor(Qt.CursorShape.SplitHCursor if self._upright else Qt.CursorShape.SplitVCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(tip)
        self.setAccessibleName(name)

    def paintEvent(self, event):
        """Draw the bar."""
        painter = QPainter(self)
        tint = theme.colour(theme.VERDIGRIS if self.hasFocus() or self.underMouse() else "line")
        if self._upright:
            painter.fillRect(QRect(2, (self.height() - _BAR) // 2, 3, _BAR), tint)
        else:
            painter.fillRect(QRect((self.width() - _BAR) // 2, 2, _BAR, 3), tint)

    def enterEvent(self, event):
        """Show that it can be taken hold of."""
        self.update()

    def leaveEvent(self, event):
        """Stand back."""
        self.update()

    def mousePressEvent(self, event):
        """Take hold."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._from, self._way = self._place(event), 0.0

    def mouseMoveEvent(self, event):
        """Drag."""
        if self._from is None:
            return
        by = self._toward * (self._place(event) - self._from)
        self._from, self._way = self._place(event), self._way + abs(by)
        self.moved.emit(round(by))

    def mouseReleaseEvent(self, event):
        """Let go; without a drag this was a click."""
        if self._from is not None and self._way <= _STILL:
            self.clicked.emit()
        self._from = None

    def keyPressEvent(self, event):
        """Move by the arrow keys, click by Return or the space bar."""
        ahead, back = (Qt.Key.Key_Right, Qt.Key.Key_Left) if self._upright else (Qt.Key.Key_Down, Qt.Key.Key_Up)
        step = {ahead: _STEP, back: -_STEP}.get(Qt.Key(event.key()))
        if step:
            self.moved.emit(self._toward * step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit()
        else:
            event.ignore()

    def _place(self, event) -> float:
        at = event.globalPosition()
        return at.x() if self._upright else at.y()
