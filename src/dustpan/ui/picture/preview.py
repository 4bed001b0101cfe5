"""The small picture that a file brings along, shown while the whole one is read."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt
from PyQt6.QtGui import QImage, QPainter

from dustpan.ui.picture.drawing import draw_word_in_corner
from dustpan.ui.translation import tr

_MARGIN = 12  # px of the widget


class Preview:
    """A preview, as large as the whole picture will be shown."""

    def __init__(self, pixels: np.ndarray, size: tuple[int, int]):
        height, width = pixels.shape[:2]
        # A copy: an image does not keep the pixels it is made of.
        self._image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self._size = QSizeF(*size)

    def paint(self, painter: QPainter, widget: QSize) -> None:
        """Draw it in the middle of a widget."""
        room = QSizeF(widget.width() - 2 * _MARGIN, widget.height() - 2 * _MARGIN)
        drawn = self._size.scaled(room, Qt.AspectRatioMode.KeepAspectRatio)
        corner = QPointF((widget.width() - drawn.width()) / 2, (widget.height() - drawn.height()) / 2)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(corner, drawn), self._image)
        draw_word_in_corner(painter, corner.toPoint(), tr("preview"))
