"""What is drawn over the picture beside its pixels: words, and lines between pixels."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QPainter

from dustpan.ui.widgets import theme

_BESIDE = QPoint(8, 6)  # px from a corner to the word that stands in it


def draw_word(painter: QPainter, at: QPoint, word: str) -> None:
    """Draw a word on a dark patch, its upper left corner at a place of the widget; nothing clips it."""
    painter.setClipping(False)
    box = QRect(at.x(), at.y(), word_width(painter, word), word_height(painter))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("ground", 190))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(theme.colour("bright"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)


def draw_word_in_corner(painter: QPainter, corner: QPoint, word: str) -> None:
    """Draw a word in the upper left corner of what is shown; none when it is empty."""
    if word:
        draw_word(painter, corner + _BESIDE, word)


def word_width(painter: QPainter, word: str) -> int:
    """Return the width of a word's patch, px."""
    return painter.fontMetrics().horizontalAdvance(word) + 14


def word_height(painter: QPainter) -> int:
    """Return the height of a word's patch, px."""
    return painter.fontMetrics().height() + 6


def draw_grid(painter: QPainter, clip: QRect, corner: QPointF, zoom: float) -> None:
    """Part the pixels of a picture, whose corner stands at a place of the widget, by hair lines."""
    painter.setClipRect(clip)
    painter.setPen(theme.colour("faint", 60))
    for x in range(int((clip.left() - corner.x()) / zoom), int((clip.right() - corner.x()) / zoom) + 2):
        at = round(corner.x() + x * zoom)
        painter.drawLine(at, clip.top(), at, clip.bottom())
    for y in range(int((clip.top() - corner.y()) / zoom), int((clip.bottom() - corner.y()) / zoom) + 2):
        at = round(corner.y() + y * zoom)
        painter.drawLine(clip.left(), at, clip.right(), at)
