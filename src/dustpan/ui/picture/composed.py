"""One side of the canvas, put together from its pieces once and painted again until something of it changes."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRect, QSize, Qt
from PyQt6.QtGui import QImage, QPainter

from dustpan.core.render.grid import BLOCK
from dustpan.ui.picture.tiles import Tiles
from dustpan.ui.picture.view import level_for


@dataclass(frozen=True)
class Standing:
    """How a picture stands on a widget, in pixels of the screen.

    Attributes
    ----------
    corner : where the picture's corner stands.
    zoom : screen pixels for each of the picture's.
    picture : its width and height, in its own pixels.
    size : of the widget.
    ratio : screen pixels for each of the widget's.
    """

    corner: QPointF
    zoom: float
    picture: tuple[int, int]
    size: QSize
    ratio: float

    def placed(self, area: QRect) -> QRect:
        """Return where an area of the picture stands, in whole pixels, so that neighbours leave no seam."""
        left, right = (round(self.corner.x() + x * self.zoom) for x in (area.left(), area.right() + 1))
        top, bottom = (round(self.corner.y() + y * self.zoom) for y in (area.top(), area.bottom() + 1))
        return QRect(left, top, right - left, bottom - top)


class Composed:
    """Paint the drafts, strips and exact tiles of one side.

    A view of a large picture holds a hundred tiles: painted one by one under every move of a hand or a mask they take
    longer than a frame.
    """

    def __init__(self, tiles: Tiles):
        self.tiles = tiles
        self._image: QImage | None = None
        self._standing: Standing | None = None
        tiles.changed.connect(self._forget)

    def paint(self, painter: QPainter, standing: Standing) -> None:
        """Draw the side as it is now, within the painter's clip."""
        if self._image is None or standing != self._standing:
            self._image, self._standing = self._compose(standing), standing
        painter.drawImage(0, 0, self._image)

    def _forget(self) -> None:
        self._image = None

    def _compose(self, standing: Standing) -> QImage:
        image = QImage(standing.size, QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, standing.zoom < 1)
        seen = QRect(0, 0, standing.size.width(), standing.size.height())
        for area, piece in self._pieces(level_for(standing.zoom)):
            place = standing.placed(area.intersected(QRect(0, 0, *standing.picture)))
            if place.intersects(seen):
                painter.drawImage(place, piece)
        painter.end()
        image.setDevicePixelRatio(standing.ratio)
        return image

    def _pieces(self, own: int) -> list[tuple[QRect, QImage]]:
        """Return areas of the picture and their images: coarse ones first, those of the view's own level last."""
        drafts = sorted(self.tiles.drafts, key=lambda piece: -piece.level)
        pieces = [(piece.area, piece.image) for piece in [*drafts, *self.tiles.strips]]
        tiles = sorted(self.tiles.exact.items(), key=lambda tile: (tile[0][0] == own, -tile[0][0]))
        return pieces + [(QRect(column * BLOCK, row * BLOCK, BLOCK, BLOCK), image) for (_, column, row), image in tiles]
