"""The picture: smooth zoom and pan, and every way to compare it with another state."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QFrame, QWidget

from dustpan.ui.picture.areas import Areas
from dustpan.ui.picture.compare import Compare
from dustpan.ui.picture.composed import Composed, Standing
from dustpan.ui.picture.drawing import draw_grid, draw_word, draw_word_in_corner, word_height
from dustpan.ui.picture.ellipse import EllipseHandles
from dustpan.ui.picture.places import Places
from dustpan.ui.picture.preview import Preview
from dustpan.ui.picture.question import Question
from dustpan.ui.picture.tiles import Tiles
from dustpan.ui.picture.view import View, level_for
from dustpan.ui.picture.wipe import Wipe
from dustpan.ui.translation import tr
from dustpan.ui.where.hands import Brush, Clicks, GradientHandles
from dustpan.ui.where.mask_view import MaskView
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured

STOPS = (0.0625, 0.125, 0.25, 0.3333, 0.5, 0.6667, 1.0, 2.0, 3.0, 4.0, 8.0, 16.0)
_REST = 0.11  # how near to a stop the wheel comes to rest on it
_GRID = 8.0  # zoom from which the pixels are parted by lines
_CLICK = 4  # px that a press moves before it is a drag
_TURN = 1000  # ms between the two sides of Alternate


class Canvas(QFrame):
    """Show the tiles; holds only how the picture is looked at.

    `zoom` counts pixels of the screen, of which a dense one has more than the widget: at 1, one pixel of the picture
    is one of the screen. zoomed(zoom) announces it. pointed(pixel) : what the pointer is over.
    """

    zoomed = pyqtSignal(float)
    moved = pyqtSignal()
    resized = pyqtSignal()
    pointed = pyqtSignal(object)  # the picture's pixel under the pointer (QPoint), or None

    def __init__(self, tiles: Tiles, other: Tiles, compare: Compare, parent: QWidget | None = None):
        super().__init__(parent)
        self.tiles, self.other, self.compare = tiles, other, compare
        self._sides = Composed(tiles), Composed(other)
        self.zoom = 1.0
        self.fitted = True
        self.caption = ""  # a line of figures in the lower left corner
        self._preview: Preview | None = None
        self._other_turn = False
        self._turns = configured(QTimer(self), interval=_TURN)
        self._turns.timeout.connect(self._turn)
        self._corner = QPointF(0, 0)  # where the picture's corner stands on the widget
        self._panning: QPointF | None = None
        self._space = False
        self.wipe = Wipe()
        self._pressed: QPointF | None = None  # where a click may be under way
        self._peek: tuple | None = None  # what to go back to when a proof is no longer shown large
        self.surround = "dark"
        #: What is drawn over the picture, in a pair over the route's side.
        self.overlays: list[Callable[[QPainter], None]] = []
        self.parts = Parts(tiles.session, self)
        self.mask_view = MaskView(self.parts, self)
        self.ellipse, self.gradient = EllipseHandles(self.parts), GradientHandles(self.parts)
        self.brush, self.clicks = Brush(self.parts), Clicks(self.parts)
        self.places, self.areas = Places(tiles.session), Areas(tiles.session)
        self._question = Question()
        #: What can be taken hold of on the picture, the first first.
        self.grips: list[Any] = [self.ellipse, self.gradient, self.brush, self.clicks, self.places, self.areas]
        self._hands = tuple(self.grips)
        self.setMinimumSize(320, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(tr("Picture"))
        tiles.changed.connect(self._on_tiles)
        other.changed.connect(self.update)
        compare.changed.connect(self._on_compare)
        tiles.session.opened.connect(self.fit)
        tiles.session.opening.previewed.connect(self.preview)
        tiles.session.chosen.connect(self.update)
        for signal in (tiles.session.chosen, tiles.session.opened):  # an answer belongs to the step it was asked for
            signal.connect(self.drop_question)
        self.mask_view.changed.connect(self.update)
        self.parts.changed.connect(self.update)
        tiles.session.edited.connect(lambda dragging: self.update())

    def _on_tiles(self) -> None:
        """Show the picture itself as soon as some of it is there."""
        if (
            self._preview is not None
            and not self.tiles.session.opening.under_way
            and (self.tiles.exact or self.tiles.drafts)
        ):
            self._preview = None
        self.update()

    def preview(self, found) -> None:
        """Show a preview of a picture that is being opened; None goes back to the picture that was there."""
        self._preview = None if found is None else Preview(*found)
        self.update()

    @property
    def room(self) -> QRect:
        """The part of the widget that shows the picture; in Pair the second one lies beside it."""
        paired = self.compare.now.mode == "pair"
        return QRect(0, 0, self.width() // 2 if paired else self.width(), self.height())

    def show_point(self, x: float, y: float) -> None:
        """Take the picture to a place (in its pixels), at actual pixels or closer."""
        self.fitted = False
        self._set(max(self.zoom, 1.0), QPointF(0, 0))
        self._centre_on(QPointF(x, y))

    def _centre_on(self, pixel: QPointF) -> None:
        self._move(QPointF(self.room.width() / 2, self.room.height() / 2) - pixel * self.scale)

    def peek_at(self, x: float, y: float, zoom: float) -> None:
        """Show a place large, both sides beside one another, until `end_peek`."""
        if self._peek is None:
            self._peek = (self.compare.now.mode, self.fitted, self.zoom, self._corner)
        self.compare.set(mode="pair")
        self.fitted = False
        self._set(zoom, QPointF(0, 0))
        self._centre_on(QPointF(x, y))

    @property
    def peeking(self) -> bool:
        """Whether a place is shown large for as long as something is pressed."""
        return self._peek is not None

    def end_peek(self) -> None:
        """Go back to what was looked at before `peek_at`."""
        if self._peek is None:
            return
        (mode, fitted, zoom, corner), self._peek = self._peek, None
        self.compare.set(mode=mode)
        self.fitted = fitted
        if fitted:
            self.fit()
        else:
            self._set(zoom, QPointF(0, 0))
            self._move(corner)

    def let_go(self) -> None:
        """End all that lasts as long as a key or a button is pressed."""
        self.end_peek()
        self.hold(False)
        self._space = self.wipe.moving = False
        self._panning = self._pressed = None
        self._question.drop()
        for hand in (self.ellipse, self.gradient, self.brush, self.clicks):
            hand.let_go()
        self.unsetCursor()

    # -- looking ----------------------------------------------------------------------------------------------

    @property
    def scale(self) -> float:
        """Pixels of the widget for each of the picture's."""
        return self.zoom / self.devicePixelRatioF()

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
        zoom = min((self.room.width() - 24) / width, (self.room.height() - 24) / height) * self.devicePixelRatioF()
        self._set(min(max(zoom, 0.01), 8.0), None)

    def set_zoom(self, zoom: float, at: QPointF | None = None) -> None:
        """Zoom, keeping the picture's point under `at` (by default the middle) in place."""
        self.fitted = False
        self._set(zoom, at or QPointF(self.room.width() / 2, self.room.height() / 2))

    @property
    def centre(self) -> QPointF:
        """The picture's pixel in the middle of what is shown."""
        return self._place(QPointF(self.room.width() / 2, self.room.height() / 2))

    def look_at(self, pixel: QPointF, zoom: float) -> None:
        """Show a pixel of the picture in the middle."""
        self.fitted, self.zoom = False, zoom
        self._centre_on(pixel)
        self.zoomed.emit(zoom)

    def zoom_by(self, steps: int, at: QPointF | None = None) -> None:
        """Go to the next finer or coarser stop."""
        if steps > 0:
            zoom = next((stop for stop in STOPS if stop > self.zoom * 1.01), STOPS[-1])
        else:
            zoom = next((stop for stop in reversed(STOPS) if stop < self.zoom * 0.99), STOPS[0])
        self.set_zoom(zoom, at)

    def _set(self, zoom: float, at: QPointF | None) -> None:
        # Where all of the picture is seen it stands in the middle anyway.
        corner = QPointF(0, 0) if at is None else at - (at - self._corner) * (zoom / self.zoom)
        self.zoom = zoom
        self._move(corner)
        self.zoomed.emit(zoom)

    def _move(self, corner: QPointF) -> None:
        """Place the picture's corner so that the picture can't leave the widget; whole screen pixels only."""
        places, ratio = [], self.devicePixelRatioF()
        for value, side, room in zip(
            (corner.x(), corner.y()), self.size_px, (self.room.width(), self.room.height()), strict=True
        ):
            drawn = side * self.scale
            places.append((room - drawn) / 2 if drawn <= room else min(max(value, room - drawn), 0.0))
        self._corner = QPointF(*(round(place * ratio) / ratio for place in places))
        self.tiles.show_view(self._view())
        self.other.show_view(self._view())
        self.mask_view.look(self._view().region, self._view().level)
        self.moved.emit()
        self.update()

    def _view(self) -> View:
        width, height = self.size_px
        shown = QRectF(-self._corner / self.scale, self.room.size().toSizeF() / self.scale)
        whole = QRect(0, 0, width, height)
        return View(shown.toAlignedRect().intersected(whole), level_for(self.zoom))

    def picture_rect(self) -> QRect:
        """Return where the picture stands on the widget."""
        width, height = (round(side * self.scale) for side in self.size_px)
        return QRect(self._corner.toPoint(), QSize(width, height))

    @property
    def shown(self) -> QRect:
        """What of the picture is on the widget."""
        return self.picture_rect().intersected(self.rect())

    # -- comparing --------------------------------------------------------------------------------------------

    @property
    def holding(self) -> bool:
        """Whether the other side is shown for as long as a key or button is pressed."""
        return self.compare.now.holding

    def hold(self, on: bool) -> None:
        """Show the other side while on."""
        self.compare.set(holding=on)

    def _on_compare(self) -> None:
        mode = self.compare.now.mode
        self._turns.start() if mode == "alternate" else self._turns.stop()
        self._other_turn = False
        self.wipe.level = self.compare.now.horizontal
        self._settle()

    def stop(self) -> None:
        """End what goes by the clock, and what is made for the eye."""
        self._turns.stop()
        self.mask_view.stop()

    def _turn(self) -> None:
        self._other_turn = not self._other_turn
        self.update()

    @property
    def wiping(self) -> bool:
        """Whether a line parts both sides."""
        return self.compare.now.mode == "wipe"

    # -- painting ---------------------------------------------------------------------------------------------

    def paintEvent(self, event):
        """Draw what is there; nothing is computed here."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.SURROUNDS[self.surround]))
        if self._preview is not None:
            self._preview.paint(painter, self.size())
            return
        if not self.size_px[0]:
            return
        clip = self.picture_rect().intersected(self.room)
        if self.compare.now.mode == "pair" and not self.holding:
            self._paint_pair(painter, clip)
        elif self.wiping and not self.holding:
            self._paint_wipe(painter, clip)
        else:
            self._paint_one(painter, clip)
        painter.setClipping(False)
        if self.caption:
            draw_word(painter, QPoint(8, self.height() - word_height(painter) - 8), self.caption)

    def _paint_one(self, painter: QPainter, clip: QRect) -> None:
        """Draw one side, and say which when it is not the route's result."""
        mode = self.compare.now.mode
        other = self.holding or (mode == "alternate" and self._other_turn)
        self._paint_side(painter, clip, self.other if other else self.tiles, marked=not other)
        word = self.compare.word if other else {"removed": self._removed_word(), "alternate": tr("route")}.get(mode, "")
        draw_word_in_corner(painter, clip.topLeft(), word)

    def _removed_word(self) -> str:
        return tr("removed ×{gain:.0f}, against {side}", gain=self.compare.now.gain, side=self.compare.word)

    def _paint_pair(self, painter: QPainter, clip: QRect) -> None:
        """Draw both sides beside one another, at the same place."""
        self._paint_side(painter, clip, self.other, marked=False)
        draw_word_in_corner(painter, clip.topLeft(), self.compare.word)
        painter.save()
        painter.translate(self.room.width(), 0)
        self._paint_side(painter, clip, self.tiles, marked=True)
        draw_word_in_corner(painter, clip.topLeft(), tr("route"))
        painter.restore()
        painter.setClipping(False)
        painter.fillRect(self.room.width() - 1, 0, 2, self.height(), theme.colour("line"))

    def _paint_wipe(self, painter: QPainter, clip: QRect) -> None:
        for side, tiles in zip(self.wipe.sides(self.shown, clip), (self.other, self.tiles), strict=True):
            self._paint_side(painter, side, tiles, marked=False)
        self._paint_marks(painter, clip)  # over both sides: what can be taken hold of must be seen
        self.wipe.paint(painter, self.shown, clip, (self.compare.word, tr("route")))

    def _paint_side(self, painter: QPainter, clip: QRect, tiles: Tiles, *, marked: bool) -> None:
        """Draw the tiles of one side inside a clip, and what is marked on them."""
        painter.setClipRect(clip)
        if not tiles.drafts and not tiles.exact:
            tiles = self.other
        ratio = self.devicePixelRatioF()
        standing = Standing(self._corner * ratio, self.zoom, self.size_px, self.size() * ratio, ratio)
        self._sides[tiles is self.other].paint(painter, standing)
        if self.scale >= _GRID:
            draw_grid(painter, clip, self._corner, self.scale)
        if marked:
            self._paint_marks(painter, clip)

    def _paint_marks(self, painter: QPainter, clip: QRect) -> None:
        painter.setClipRect(clip)
        picture = QRectF(self.picture_rect())
        self.mask_view.paint(painter, picture, self.scale)
        painter.setClipRect(self.room)  # handles may stand outside of the picture
        for hand in self._hands:
            hand.paint(painter, picture)
        self._question.paint(painter)
        painter.setClipRect(clip)
        for paint in self.overlays:
            painter.save()
            paint(painter)
            painter.restore()

    # -- hands ------------------------------------------------------------------------------------------------

    def resizeEvent(self, event):
        """Keep the picture fitted, or in place."""
        self._settle()
        self.resized.emit()

    def event(self, event):
        """Keep it so on a screen of another density, too."""
        if event.type() == QEvent.Type.DevicePixelRatioChange:
            self._settle()
        return super().event(event)

    def _settle(self) -> None:
        if self.fitted:
            self.fit()
        else:
            self._move(self._corner)

    def wheelEvent(self, event):
        """Zoom smoothly at the pointer, resting at whole multiples of actual pixels on the way."""
        turned = event.angleDelta().y()
        if not turned or not self.size_px[0]:
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self.brush.part is not None:
            self.resize_brush(turned / 120)
            return
        zoom = min(max(self.zoom * 2 ** (turned / 360), STOPS[0]), STOPS[-1])
        rest = next((stop for stop in STOPS if stop >= 1 and abs(zoom / stop - 1) < _REST and self.zoom != stop), zoom)
        self.set_zoom(rest, self._at(event))

    def _at(self, event) -> QPointF:
        """Return where an event is; a place on the second picture of a Pair stands for the same on the first."""
        at = event.position()
        if self.compare.now.mode == "pair" and at.x() >= self.room.width():
            at -= QPointF(self.room.width(), 0)
        return at

    def mousePressEvent(self, event):
        """Begin to drag the wipe line or the picture."""
        left = event.button() == Qt.MouseButton.LeftButton
        picture = QRectF(self.picture_rect())
        self._pressed = None
        if left and self._question.press(self._at(event), self._place, self.size_px):
            self._show_question()
            return
        if event.button() == Qt.MouseButton.RightButton:
            others = self.brush, self.clicks, self.places, self.areas
            any(grip.press_other(self._at(event), picture) for grip in others)
            return
        if (
            left
            and not self._space
            and self.size_px[0]
            and any(grip.press(self._at(event), picture) for grip in self.grips)
        ):
            return
        if left and self.wiping and not self._space and self.wipe.is_near(self._at(event), self.shown):
            self.wipe.moving = True
        elif left or event.button() == Qt.MouseButton.MiddleButton:
            self._panning = self._at(event) - self._corner
            self._pressed = self._at(event) if left and not self._space else None
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def ask_point(self, take: Callable[[QPoint], None]) -> None:
        """Have the next click on the picture answered by its pixel."""
        self._question.ask_point(take)
        self._show_question()

    def ask_patch(self, take: Callable[[QRect], None]) -> None:
        """Have the next click, or a patch that is dragged, answered by its pixels."""
        self._question.ask_patch(take)
        self._show_question()

    @property
    def asking(self) -> bool:
        """Whether the next click or drag answers a question."""
        return self._question.open

    def drop_question(self) -> None:
        """Ask for nothing any more."""
        if self._question.open:
            self._question.drop()
            self._show_question()

    def _show_question(self) -> None:
        self.setCursor(Qt.CursorShape.CrossCursor) if self._question.open else self.unsetCursor()
        self.update()

    def _place(self, at: QPointF) -> QPointF:
        """Return the picture's pixel, with its fraction, at a place of the widget."""
        return (at - self._corner) / self.scale

    def resize_brush(self, notches: float) -> None:
        """Make the brush larger or smaller."""
        self.parts.set_tip(size=round(min(max(self.parts.tip.size * 1.15**notches, 0.001), 0.5), 4))

    def tabletEvent(self, event):
        """Take a tablet's pressure for the brush; the mouse events that follow move it."""
        self.brush.pressure = float(event.pressure()) if event.pressure() > 0 else 1.0
        event.ignore()

    def mouseMoveEvent(self, event):
        """Drag what was taken hold of; announce what is under the pointer."""
        self._point(self._at(event))
        if self._question.drag(self._at(event)):
            self.update()
            return
        if self.brush.part is not None:
            self.update()
        if any(grip.drag(self._at(event), QRectF(self.picture_rect())) for grip in self.grips):
            return
        if self.wipe.moving:
            self.wipe.drag(self._at(event), self.shown)
            self.update()
        elif self._panning is not None:
            if self._pressed is not None and (self._at(event) - self._pressed).manhattanLength() <= _CLICK:
                return
            self._pressed = None
            self.fitted = False
            self._move(self._at(event) - self._panning)
        elif self.wiping:
            self.setCursor(self.wipe.cursor(self._at(event), self.shown))

    def mouseReleaseEvent(self, event):
        """Let go."""
        if self._question.release(self._place, self.size_px):
            self._show_question()
            return
        for grip in self.grips:
            grip.release(self._at(event), QRectF(self.picture_rect()))
        clicked = self._pressed
        self._panning, self.wipe.moving, self._pressed = None, False, None
        self.unsetCursor()
        if clicked is not None and self.size_px[0] and QRectF(self.picture_rect()).contains(clicked):
            self.toggle_pixels(clicked)

    def toggle_pixels(self, at: QPointF) -> None:
        """Go to actual pixels at a point, or back to the whole picture."""
        if self.fitted or self.zoom < 1:
            self.set_zoom(1.0, at)
        else:
            self.fit()

    def mouseDoubleClickEvent(self, event):
        """Take the second press of two quick ones like any other."""
        self.mousePressEvent(event)

    def _point(self, at: QPointF) -> None:
        width, height = self.size_px
        place = self._place(at)
        inside = 0 <= place.x() < width and 0 <= place.y() < height
        self.pointed.emit(QPoint(int(place.x()), int(place.y())) if inside else None)

    def leaveEvent(self, event):
        """Tell that nothing is under the pointer."""
        self.brush.at = None
        self.pointed.emit(None)
        self.update()

    def colour_at(self, pixel: QPoint, *, after: bool) -> QColor | None:
        """Return the screen's colour of a pixel before or after the route, when it is there exactly."""
        return (self.tiles if after else self.other).colour_at(pixel)

    def keyPressEvent(self, event):
        """Pan by arrow keys; Space takes hold of the picture; all else goes to the window."""
        step = (
            {}
            if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
            else {
                Qt.Key.Key_Left: (80, 0),
                Qt.Key.Key_Right: (-80, 0),
                Qt.Key.Key_Up: (0, 80),
                Qt.Key.Key_Down: (0, -80),
            }
        )
        if event.key() in step:
            self.fitted = False
            self._move(self._corner + QPointF(*step[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus) and self.brush.part is not None:
            self.resize_brush(1 if event.key() == Qt.Key.Key_Plus else -1)
        elif event.key() == Qt.Key.Key_Space:
            self._space = True
            if not event.isAutoRepeat():
                self.setCursor(Qt.CursorShape.OpenHandCursor)
        else:
            event.ignore()

    def keyReleaseEvent(self, event):
        """Let go of the picture."""
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
            self.unsetCursor()
        else:
            event.ignore()
