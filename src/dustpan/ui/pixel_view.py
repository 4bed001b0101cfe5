"""A picture's own pixels, to zoom and pan: a finished image, with marks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QFrame, QSizePolicy, QWidget

from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_RING = 9  # px, radius of a mark
_STOPS = (1.0, 2.0, 3.0, 4.0, 8.0)  # screen pixels for each of the image's


class PixelView(QFrame):
    """Show an image pixel for pixel, enlarged or whole; a drag moves it.

    Signals
    -------
    zoomed(zoom) : screen pixels for each of the image's.
    """

    zoomed = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.image: QImage | None = None
        self.marks: Sequence[tuple[int, int]] = ()
        self.surround = "dark"
        self.zoom = 1.0
        self._corner = QPointF()  # of what is seen, in pixels of the image
        self._held: QPoint | None = None
        self._turned = 0  # of the wheel, that no step was made of yet
        self.setMinimumSize(200, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(tr("The picture at its output size"))

    def show_image(self, image: QImage | None, *, centred: bool = False) -> None:
        """Show an image where the one before it was, or its middle."""
        self.image = image
        if image is not None and centred:
            self.set_zoom(1.0)
            self._corner = QPointF((image.width() - self._wide) / 2, (image.height() - self._high) / 2)
        self._keep_inside()
        self.update()

    def show_whole(self) -> None:
        """Show all of the image."""
        self.set_zoom(self._whole)

    def pan(self, across: int, down: int) -> None:
        """Move the view over the image, px of the screen."""
        self._corner += QPointF(across, down) * (self.devicePixelRatioF() / self.zoom)
        self._keep_inside()
        self.update()

    def show_point(self, x: int, y: int) -> None:
        """Bring a point of the image to the middle."""
        self._corner = QPointF(x - self._wide / 2, y - self._high / 2)
        self._keep_inside()
        self.update()

    def set_zoom(self, zoom: float, at: QPointF | None = None) -> None:
        """Show it at another zoom; what lies at a place of the widget, or in its middle, stays there."""
        at = at or QPointF(self.width() / 2, self.height() / 2)
        ratio = self.devicePixelRatioF()
        under = self._drawn() / self.zoom + at * (ratio / self.zoom)
        self.zoom = zoom
        self._corner = under - at * (ratio / zoom)
        self._keep_inside()
        self.zoomed.emit(zoom)
        self.update()

    def pixel_at(self, at: QPoint) -> tuple[int, int] | None:
        """Return the pixel of the image under a place of the widget, or None beside it."""
        if self.image is None:
            return None
        place = (self._drawn() + QPointF(at) * self.devicePixelRatioF()) / self.zoom
        x, y = int(np.floor(place.x())), int(np.floor(place.y()))
        return (x, y) if 0 <= x < self.image.width() and 0 <= y < self.image.height() else None

    def _drawn(self) -> QPointF:
        """Return the corner of what is seen, in whole pixels of the enlarged image."""
        return QPointF(round(self._corner.x() * self.zoom), round(self._corner.y() * self.zoom))

    def step_zoom(self, steps: int, at: QPointF | None = None) -> None:
        """Go to the next larger zoom, or the next smaller one; the smallest shows the whole."""
        stops = [self._whole, *(stop for stop in _STOPS if stop > self._whole)]
        nearest = min(range(len(stops)), key=lambda n: abs(np.log(stops[n] / self.zoom)))
        self.set_zoom(stops[min(max(nearest + steps, 0), len(stops) - 1)], at)

    @property
    def _whole(self) -> float:
        """The zoom at which all of the image is seen; never over 1."""
        if self.image is None:
            return 1.0
        ratio = self.devicePixelRatioF()
        return min(self.width() * ratio / self.image.width(), self.height() * ratio / self.image.height(), 1.0)

    @property
    def _wide(self) -> float:
        return self.width() * self.devicePixelRatioF() / self.zoom

    @property
    def _high(self) -> float:
        return self.height() * self.devicePixelRatioF() / self.zoom

    def _keep_inside(self) -> None:
        if self.image is None:
            return
        room = [
            (self.image.width() - self._wide, self._corner.x()),
            (self.image.height() - self._high, self._corner.y()),
        ]
        self._corner = QPointF(*(more / 2 if more <= 0 else min(max(at, 0.0), more) for more, at in room))

    def resizeEvent(self, event):
        """Keep the picture in view."""
        self._keep_inside()

    def paintEvent(self, event):
        """Draw the image, one of its pixels on whole ones of the screen from 100 % on, and the marks."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.SURROUNDS[self.surround]))
        if self.image is None:
            return
        ratio, zoom = self.devicePixelRatioF(), self.zoom
        painter.scale(1 / ratio, 1 / ratio)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 1)
        corner = self._drawn()
        size = QSizeF(self.image.width() * zoom, self.image.height() * zoom)
        painter.drawImage(QRectF(-corner, size), self.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour(theme.MADDER), 2 * ratio))
        for x, y in self.marks:
            painter.drawEllipse(QPointF(x + 0.5, y + 0.5) * zoom - corner, _RING * ratio, _RING * ratio)

    def mousePressEvent(self, event):
        """Take hold of the picture."""
        self._held = event.position().toPoint()
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event):
        """Move it."""
        if self._held is None:
            return
        at = event.position().toPoint()
        self._corner -= QPointF(at - self._held) * (self.devicePixelRatioF() / self.zoom)
        self._held = at
        self._keep_inside()
        self.update()

    def wheelEvent(self, event):
        """Go to the next zoom, at the pointer."""
        self._turned += event.angleDelta().y()
        steps = int(self._turned / 120)
        self._turned -= 120 * steps
        if steps:
            self.step_zoom(steps, event.position())

    def mouseReleaseEvent(self, event):
        """Let it go."""
        self._held = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
