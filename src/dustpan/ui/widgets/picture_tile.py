"""A button that shows a small picture with a name and a line of words under it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QPushButton

from dustpan.ui.widgets import theme

WIDTH, HEIGHT = 168, 108  # px of the picture
_ROUND = 5  # px
_NAME, _LINE = 22, 16  # px, heights of the name and of a line of words


class PictureTile(QPushButton):
    """A picture to open; without an image there is a plain field."""

    def __init__(
        self, name: str, words: str, tip: str, run: Callable[[], None], image: QImage | None, *, lines: int = 1
    ):
        super().__init__(name)
        self.words, self.image, self._lines = words, image, lines
        self.setFixedSize(WIDTH, HEIGHT + _NAME + lines * _LINE)
        self.setToolTip(tip)
        self.setAccessibleName(f"{name}, {words}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda: run())

    def sizeHint(self):
        """Return its size."""
        return QSize(self.width(), self.height())

    def paintEvent(self, event):
        """Draw the middle of the picture, the name, and what there is to say."""
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        place = QRectF(1, 1, WIDTH - 2, HEIGHT - 2)
        rim = QPainterPath()
        rim.addRoundedRect(place, _ROUND, _ROUND)
        painter.fillPath(rim, theme.colour("raised"))
        if self.image is not None:
            painter.setClipPath(rim)
            painter.drawImage(place, self.image, _middle_of(self.image, place.width() / place.height()))
            painter.setClipping(False)
        lit = self.hasFocus() or self.underMouse()
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.hasFocus() else "faint" if lit else "line"), 1 + lit))
        painter.drawPath(rim)
        painter.setFont(theme.font(9))
        painter.setPen(theme.colour("bright" if lit else "text"))
        name = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, WIDTH - 4)
        painter.drawText(QRect(2, HEIGHT, WIDTH - 4, _NAME), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(8))
        painter.setPen(theme.colour("faint"))
        under = QRect(2, HEIGHT + _NAME, WIDTH - 4, self._lines * _LINE)
        painter.drawText(under, Qt.TextFlag.TextWordWrap, self.words)


def _middle_of(image: QImage, shape: float) -> QRectF:
    """Return the largest middle part of an image whose width is so many times its height."""
    width = min(float(image.width()), image.height() * shape)
    height = width / shape
    return QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
