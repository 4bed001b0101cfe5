"""The line that parts both sides of a picture: where it stands, how it is dragged and drawn."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from dustpan.ui.picture.drawing import draw_word, word_height, word_width

_GRAB = 8  # px either side of the line


class Wipe:
    """A line across what is shown of the picture.

    Attributes
    ----------
    at : 0 to 1, where it stands.
    level : whether it lies level.
    moving : whether it is being dragged.
    """

    def __init__(self) -> None:
        self.at = 0.5
        self.level = False
        self.moving = False

    def line(self, shown: QRect) -> int:
        """Return the line's x, or its y when it lies level; shown : what of the picture is on the widget."""
        first, length = (shown.top(), shown.height()) if self.level else (shown.left(), shown.width())
        return round(first + self.at * length)

    def is_near(self, at: QPointF, shown: QRect) -> bool:
        """Return whether a press at a place takes hold of the line."""
        return abs((at.y() if self.level else at.x()) - self.line(shown)) <= _GRAB

    def drag(self, at: QPointF, shown: QRect) -> None:
        """Take the line to a place."""
        room = QRectF(shown)
        if self.level:
            part = (at.y() - room.top()) / max(room.height(), 1)
        else:
            part = (at.x() - room.left()) / max(room.width(), 1)
        self.at = min(max(part, 0.0), 1.0)

    def cursor(self, at: QPointF, shown: QRect) -> Qt.CursorShape:
        """Return the pointer's shape at a place."""
        if not self.is_near(at, shown):
            return Qt.CursorShape.ArrowCursor
        return Qt.CursorShape.SplitVCursor if self.level else Qt.CursorShape.SplitHCursor

    def sides(self, shown: QRect, clip: QRect) -> tuple[QRect, QRect]:
        """Return the parts of a clip before the line and after it."""
        line, first, second = self.line(shown), QRect(clip), QRect(clip)
        if self.level:
            first.setBottom(line - 1)
            second.setTop(line)
        else:
            first.setRight(line - 1)
            second.setLeft(line)
        return first, second

    def paint(self, painter: QPainter, shown: QRect, clip: QRect, words: tuple[str, str]) -> None:
        """Draw the line, and a word on either side as long as there is room for it."""
        line = self.line(shown)
        painter.setClipping(False)
        painter.setPen(QPen(QColor("white"), 2))
        if self.level:
            painter.drawLine(clip.left(), line, clip.right(), line)
            height = word_height(painter)
            places = QPoint(clip.left() + 8, line - height - 8), QPoint(clip.left() + 8, line + 8)
            rooms = line - clip.top() - height - 8, clip.bottom() - line - height - 8
        else:
            painter.drawLine(line, clip.top(), line, clip.bottom())
            width = word_width(painter, words[0])
            places = QPoint(line - width - 8, clip.top() + 6), QPoint(line + 8, clip.top() + 6)
            rooms = line - clip.left() - width - 10, clip.right() - line - 60
        for place, word, room in zip(places, words, rooms, strict=True):
            if room > 0:
                draw_word(painter, place, word)
