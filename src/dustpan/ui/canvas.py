"""The picture: smooth zoom and pan, the original while held, a line to wipe with."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.engine import BLOCK
from dustpan.ui import theme
from dustpan.ui.ellipse import EllipseHandles
from dustpan.ui.tiles import Tiles, View, level_for

STOPS = (0.0625, 0.125, 0.25, 0.3333, 0.5, 0.6667, 1.0, 2.0, 3.0, 4.0, 8.0, 16.0)
_REST = 0.11  # how near to a stop the wheel comes to rest on it
_GRID = 8.0  # zoom from which the pixels are parted by lines
_GRAB = 8  # px either side of the wipe line


class Canvas(QWidget):
    """Show the tiles; holds only how the picture is looked at.

    zoomed(zoom) : screen pixels for each of the picture's. pointed(pixel) : what the pointer is over.
    """

    zoomed = pyqtSignal(float)
    pointed = pyqtSignal(object)  # the picture's pixel under the pointer (QPoint), or None

    def __init__(self, tiles: Tiles, parent: QWidget | None = None):
        super().__init__(parent)
        self.tiles = tiles
        self.zoom = 1.0
        self.fitted = True
        self.holding = False
        self.wiping = False
        self.wipe_at = 0.5
        self._corner = QPointF(0, 0)  # where the picture's corner stands on the widget
        self._panning: QPointF | None = None
        self._space = False
        self._moving_wipe = False
        self.surround = "dark"
        self.ellipse = EllipseHandles(tiles.session)
        self.setMinimumSize(320, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Picture")
        tiles.changed.connect(self.update)
        tiles.session.opened.connect(self.fit)
        tiles.session.chosen.connect(self.update)
        tiles.session.edited.connect(lambda dragging: self.update())

    # -- looking ----------------------------------------------------------------------------------------------

    @property
    def size_px(self) -> tuple[int, int]:
        """Width and height of the picture, or zero."""
        engine = self.tiles.session.engine
        return engine.base.size if engine else (0, 0)

    def fit(self) -> None:
        """Show the whole picture."""
        width, height = self.size_px
        if not width:
            self.update()
            return
        self.fitted = True
        zoom = min((self.width() - 24) / width, (self.height() - 24) / height)
        self._set(min(max(zoom, 0.01), 8.0), None)

    def set_zoom(self, zoom: float, at: QPointF | None = None) -> None:
        """Zoom, keeping the picture's point under `at` (by default the middle) in place."""
        self.fitted = False
        self._set(zoom, at or QPointF(self.width() / 2, self.height() / 2))

    def zoom_by(self, steps: int, at: QPointF | None = None) -> None:
        """Go to the next finer or coarser stop."""
        if steps > 0:
            zoom = next((stop for stop in STOPS if stop > self.zoom * 1.01), STOPS[-1])
        else:
            zoom = next((stop for stop in reversed(STOPS) if stop < self.zoom * 0.99), STOPS[0])
        self.set_zoom(zoom, at)

    def _set(self, zoom: float, at: QPointF | None) -> None:
        width, height = self.size_px
        if at is None:
            corner = QPointF((self.width() - width * zoom) / 2, (self.height() - height * zoom) / 2)
        else:
            corner = at - (at - self._corner) * (zoom / self.zoom)
        self.zoom = zoom
        self._move(corner)
        self.zoomed.emit(zoom)

    def _move(self, corner: QPointF) -> None:
        """Place the picture's corner so that the picture can't leave the widget; whole screen pixels only."""
        places = []
        for value, side, room in zip(
            (corner.x(), corner.y()), self.size_px, (self.width(), self.height()), strict=True
        ):
            drawn = side * self.zoom
            places.append((room - drawn) / 2 if drawn <= room else min(max(value, room - drawn), 0.0))
        self._corner = QPointF(round(places[0]), round(places[1]))
        self.tiles.look(self._view())
        self.update()

    def _view(self) -> View:
        width, height = self.size_px
        shown = QRectF(-self._corner / self.zoom, self.rect().size().toSizeF() / self.zoom)
        whole = QRect(0, 0, width, height)
        return View(shown.toAlignedRect().intersected(whole), level_for(self.zoom))

    def picture_rect(self) -> QRect:
        """Return where the picture stands on the widget."""
        width, height = self.size_px
        return QRect(self._corner.toPoint(), QSize(round(width * self.zoom), round(height * self.zoom)))

    # -- comparing --------------------------------------------------------------------------------------------

    def hold(self, on: bool) -> None:
        """Show the original while on."""
        if self.holding != on:
            self.holding = on
            self.update()

    def wipe(self, on: bool) -> None:
        """Show the original left of a line that can be dragged."""
        self.wiping = on
        self.update()

    def _wipe_x(self) -> int:
        shown = self.picture_rect().intersected(self.rect())
        return round(shown.left() + self.wipe_at * shown.width())

    # -- painting ---------------------------------------------------------------------------------------------

    def paintEvent(self, event):
        """Draw what is there; nothing is computed here."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.SURROUNDS[self.surround]))
        if not self.size_px[0]:
            self._paint_empty(painter)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom < 1)
        clip = self.picture_rect().intersected(self.rect())
        if self.holding:
            self._paint_before(painter, clip)
        elif self.wiping:
            line = self._wipe_x()
            self._paint_before(painter, QRect(clip.left(), clip.top(), line - clip.left(), clip.height()))
            self._paint_after(painter, QRect(line, clip.top(), clip.right() - line + 1, clip.height()))
            self._paint_line(painter, line, clip)
        else:
            self._paint_after(painter, clip)
        if self.zoom >= _GRID:
            self._paint_grid(painter, clip)
        painter.setClipRect(clip)
        if not self.holding:
            self.ellipse.paint(painter, QRectF(self.picture_rect()))
        if self.holding:
            self._paint_word(painter, clip.topLeft() + _offset(8, 6), "original")

    def _paint_grid(self, painter: QPainter, clip: QRect) -> None:
        """Part the pixels by hair lines."""
        painter.setClipRect(clip)
        painter.setPen(theme.colour("faint", 60))
        corner, zoom = self.picture_rect().topLeft(), self.zoom
        for x in range(int((clip.left() - corner.x()) / zoom), int((clip.right() - corner.x()) / zoom) + 2):
            at = round(corner.x() + x * zoom)
            painter.drawLine(at, clip.top(), at, clip.bottom())
        for y in range(int((clip.top() - corner.y()) / zoom), int((clip.bottom() - corner.y()) / zoom) + 2):
            at = round(corner.y() + y * zoom)
            painter.drawLine(clip.left(), at, clip.right(), at)

    def _paint_empty(self, painter: QPainter) -> None:
        painter.setPen(theme.colour("faint"))
        painter.setFont(theme.font(11))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Open a picture to begin (Ctrl+O)")

    def _paint_before(self, painter: QPainter, clip: QRect) -> None:
        painter.setClipRect(clip)
        self._paint_tiles(painter, self.tiles.before, lambda level: BLOCK << level)

    def _paint_after(self, painter: QPainter, clip: QRect) -> None:
        painter.setClipRect(clip)
        if not self.tiles.drafts and not self.tiles.exact:
            self._paint_tiles(painter, self.tiles.before, lambda level: BLOCK << level)
        for piece in sorted(self.tiles.drafts, key=lambda piece: -piece.level):
            painter.drawImage(self._rounded(piece.area), piece.image)
        self._paint_tiles(painter, self.tiles.exact, lambda level: BLOCK)

    def _paint_tiles(self, painter: QPainter, images: dict, side_at) -> None:
        """Draw tiles, the view's own level last so that it lies on top."""
        own = level_for(self.zoom)
        clip = painter.clipBoundingRect().toAlignedRect()
        for key in sorted(images, key=lambda k: (k[0] == own, -k[0])):
            target = self._target(key, side_at(key[0]))
            if target.intersects(clip):
                painter.drawImage(target, images[key])

    def _target(self, key: tuple[int, int, int], side: int) -> QRect:
        """Return where a tile stands, its edges rounded alike on both sides so that no seam shows."""
        _, column, row = key
        width, height = self.size_px
        area = QRect(column * side, row * side, side, side).intersected(QRect(0, 0, width, height))
        return self._rounded(area)

    def _rounded(self, area: QRect) -> QRect:
        """Return where an area of the picture stands on the widget, in whole pixels."""
        left, right = (round(self._corner.x() + x * self.zoom) for x in (area.left(), area.right() + 1))
        top, bottom = (round(self._corner.y() + y * self.zoom) for y in (area.top(), area.bottom() + 1))
        return QRect(left, top, right - left, bottom - top)

    def _paint_line(self, painter: QPainter, line: int, clip: QRect) -> None:
        painter.setClipping(False)
        painter.setPen(QPen(QColor("white"), 2))
        painter.drawLine(line, clip.top(), line, clip.bottom())
        width = painter.fontMetrics().horizontalAdvance("original")
        if line - clip.left() > width + 24:
            self._paint_word(painter, clip.topLeft() + _offset(line - clip.left() - width - 22, 6), "original")
        if clip.right() - line > 60:
            self._paint_word(painter, clip.topLeft() + _offset(line - clip.left() + 8, 6), "route")

    def _paint_word(self, painter: QPainter, at, word: str) -> None:
        painter.setClipping(False)
        metrics = painter.fontMetrics()
        box = QRect(at.x(), at.y(), metrics.horizontalAdvance(word) + 14, metrics.height() + 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ground", 190))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(theme.colour("bright"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)

    # -- hands ------------------------------------------------------------------------------------------------

    def resizeEvent(self, event):
        """Keep the picture fitted, or in place."""
        if self.fitted:
            self.fit()
        else:
            self._move(self._corner)

    def wheelEvent(self, event):
        """Zoom smoothly at the pointer, resting at whole multiples of actual pixels on the way."""
        turned = event.angleDelta().y()
        if not turned or not self.size_px[0]:
            return
        zoom = min(max(self.zoom * 2 ** (turned / 360), STOPS[0]), STOPS[-1])
        rest = next((stop for stop in STOPS if stop >= 1 and abs(zoom / stop - 1) < _REST and self.zoom != stop), zoom)
        self.set_zoom(rest, event.position())

    def mousePressEvent(self, event):
        """Begin to drag the wipe line or the picture."""
        left = event.button() == Qt.MouseButton.LeftButton
        picture = QRectF(self.picture_rect())
        if left and not self._space and self.size_px[0] and self.ellipse.press(event.position(), picture):
            return
        if left and self.wiping and not self._space and abs(event.position().x() - self._wipe_x()) <= _GRAB:
            self._moving_wipe = True
        elif left or event.button() == Qt.MouseButton.MiddleButton:
            self._panning = event.position() - self._corner
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event):
        """Drag what was taken hold of; tell what is under the pointer."""
        self._point(event.position())
        if self.ellipse.move(event.position(), QRectF(self.picture_rect())):
            return
        if self._moving_wipe:
            shown = self.picture_rect().intersected(self.rect())
            self.wipe_at = min(max((event.position().x() - shown.left()) / max(shown.width(), 1), 0.0), 1.0)
            self.update()
        elif self._panning is not None:
            self.fitted = False
            self._move(event.position() - self._panning)
        elif self.wiping:
            near = abs(event.position().x() - self._wipe_x()) <= _GRAB
            self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event):
        """Let go."""
        self.ellipse.release(event.position(), QRectF(self.picture_rect()))
        self._panning, self._moving_wipe = None, False
        self.unsetCursor()

    def _point(self, at: QPointF) -> None:
        width, height = self.size_px
        place = (at - self._corner) / self.zoom
        inside = 0 <= place.x() < width and 0 <= place.y() < height
        self.pointed.emit(QPoint(int(place.x()), int(place.y())) if inside else None)

    def leaveEvent(self, event):
        """Tell that nothing is under the pointer."""
        self.pointed.emit(None)

    def colour_at(self, pixel: QPoint, *, after: bool) -> QColor | None:
        """Return the screen's colour of a pixel before or after the route, when it is there exactly."""
        key = (0, pixel.x() // BLOCK, pixel.y() // BLOCK)
        image = (self.tiles.exact if after else self.tiles.before).get(key)
        return None if image is None else image.pixelColor(pixel.x() % BLOCK, pixel.y() % BLOCK)

    def keyPressEvent(self, event):
        """Pan by arrow keys; Space takes hold of the picture; all else goes to the window."""
        step = {
            Qt.Key.Key_Left: (80, 0), Qt.Key.Key_Right: (-80, 0), Qt.Key.Key_Up: (0, 80), Qt.Key.Key_Down: (0, -80),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if step:
            self.fitted = False
            self._move(self._corner + QPointF(*step))
        elif event.key() == Qt.Key.Key_Space:
            self._space = True
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event):
        """Let go of the picture."""
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
        super().keyReleaseEvent(event)


def _offset(x: int, y: int):
    return QPointF(x, y).toPoint()
