"""What is asked of the picture: the pixel of the next click, or the patch that is dragged next."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen

from dustpan.ui.widgets import theme

_CLICK_SIDE = 5  # px of the patch that a click stands for

#: Gives the picture's pixel, with its fraction, at a place of the widget.
Place = Callable[[QPointF], QPointF]


class Question:
    """Wait for a point or a patch, one at a time, and hand it to whoever asked."""

    def __init__(self):
        self._take_point: Callable[[QPoint], None] | None = None
        self._take_patch: Callable[[QRect], None] | None = None
        self._dragged: tuple[QPointF, QPointF] | None = None  # both corners on the widget

    def ask_point(self, take: Callable[[QPoint], None]) -> None:
        """Ask for the pixel of the next click."""
        self.drop()
        self._take_point = take

    def ask_patch(self, take: Callable[[QRect], None]) -> None:
        """Ask for the pixels of the next click, or of a patch that is dragged."""
        self.drop()
        self._take_patch = take

    def drop(self) -> None:
        """Ask for nothing any more."""
        self._take_point = self._take_patch = self._dragged = None

    @property
    def open(self) -> bool:
        """Whether something is asked for."""
        return self._take_point is not None or self._take_patch is not None

    def press(self, at: QPointF, place: Place, size: tuple[int, int]) -> bool:
        """Take a press; return whether it was for this."""
        if self._take_point is not None:
            take, pixel = self._take_point, place(at)
            self.drop()
            if 0 <= pixel.x() < size[0] and 0 <= pixel.y() < size[1]:
                take(QPoint(int(pixel.x()), int(pixel.y())))
            return True
        if self._take_patch is not None:
            self._dragged = at, at
        return self._dragged is not None

    def drag(self, at: QPointF) -> bool:
        """Move the second corner of a patch; return whether one is dragged."""
        if self._dragged is not None:
            self._dragged = self._dragged[0], at
        return self._dragged is not None

    def release(self, place: Place, size: tuple[int, int]) -> bool:
        """Answer with the patch that was dragged; return whether one was."""
        if self._dragged is None or self._take_patch is None:
            return False
        take, corners = self._take_patch, [place(at) for at in self._dragged]
        self.drop()
        patch = QRectF(*corners).normalized().toAlignedRect()
        if max(patch.width(), patch.height()) < _CLICK_SIDE:
            half = _CLICK_SIDE // 2
            patch = QRect(patch.center() - QPoint(half, half), QSize(_CLICK_SIDE, _CLICK_SIDE))
        patch = patch.intersected(QRect(0, 0, *size))
        if not patch.isEmpty():
            take(patch)
        return True

    def paint(self, painter: QPainter) -> None:
        """Draw the patch that is dragged."""
        if self._dragged is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(theme.colour("ground", 200), 3), QPen(theme.colour(theme.VERDIGRIS), 1.4)):
            painter.setPen(pen)
            painter.drawRect(QRectF(*self._dragged).normalized())
