"""The mask of the chosen step on the picture: hatched where left alone, or alone in grey."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QObject, QPoint, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QImage, QPainter, QPixmap, QTransform

from dustpan.core.errors import DustpanError
from dustpan.core.picture.region import Region
from dustpan.core.render.plan import Plan, Prepared
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets import theme

HATCHED, GREY, HIDDEN = "hatched", "grey", "hidden"
_MOST = 700_000  # pixels of a mask that is shown; a larger view takes a coarser level
_MOST_DRAGGED = 200_000  # the same under a drag
_EVERY = 7  # px between two lines of the hatching


class MaskView(QObject):
    """Make the mask of what is looked at in a worker, and paint it.

    Signals
    -------
    changed : there is another mask to paint.

    Attributes
    ----------
    shown : how it is painted: hatched, grey or hidden.
    """

    changed = pyqtSignal()

    def __init__(self, parts: Parts, parent: QObject | None = None):
        super().__init__(parent)
        self.parts, self.session = parts, parts.session
        self.shown = HATCHED
        self._seen: tuple[QRect, int] | None = None  # of the picture, px, and the level
        self._made: tuple[QImage, QRect] | None = None
        self._hatched: tuple[tuple, QImage] | None = None  # what the hatching is of, and it
        self._wanted: tuple | None = None
        self._token: Token | None = None
        self._again = False  # another mask is wanted than the one under way
        self._step_id = ""  # whose mask is under way
        for signal in (self.session.planned, self.session.chosen, self.session.opened, parts.changed):
            signal.connect(self.refresh)
        self.session.edited.connect(lambda dragging: self.refresh())

    def look(self, region: QRect, level: int) -> None:
        """Follow the part of the picture that is seen, in its pixels, and the pyramid level."""
        self._seen = region, level
        self.refresh()

    def show_as(self, shown: str) -> None:
        """Paint the mask hatched, in grey, or not at all."""
        self.shown = shown
        self.refresh()
        self.changed.emit()

    def stop(self) -> None:
        """End what is under way."""
        if self._token is not None:
            self._token.cancel()
            self._token = None
        self._again = False

    @property
    def settled(self) -> bool:
        """Whether the mask that is painted is the one that is wanted."""
        return self._token is None

    def refresh(self) -> None:
        """Ask for the mask of what is seen, when it has changed."""
        prepared = self._prepared()
        if prepared is None or self._seen is None or self._seen[0].isEmpty() or self.shown == HIDDEN:
            self._clear()
            return
        seen, level = self._seen
        plan, step = self.session.plan, self.session.step
        assert plan is not None and step is not None
        most = _MOST if self.session.frozen is None else _MOST_DRAGGED
        while (seen.width() >> level) * (seen.height() >> level) > most:
            level += 1
        wanted = (prepared.key, plan.base.key, level, seen.getRect())
        if wanted == self._wanted:
            return
        self._wanted = wanted
        if self._token is not None and self._step_id == step.id:
            self._again = True  # under a drag each would be cancelled by the next, and none be seen
            return
        self.stop()
        self._step_id = step.id
        region = _region(seen, plan, level)
        token = self._token = Token()
        engine = self.session.engine
        job = partial(_make_mask, engine, plan.at(level), prepared, region, token.check)
        then = partial(self._take, region, level)
        self.session.jobs.run(job, then, priority=Priority.VIEW_DRAFT, token=token, failed=self._fail)

    def _prepared(self) -> Prepared | None:
        """Return the chosen step in the newest plan, when it works only somewhere."""
        plan, step = self.session.plan, self.session.step
        if plan is None or step is None or step.where.everywhere:
            return None
        prepared = plan.find(step.id)
        return prepared

    def _clear(self) -> None:
        self.stop()
        self._wanted = None
        if self._made is not None:
            self._made = None
            self.changed.emit()

    def _take(self, region: Region, level: int, image: QImage) -> None:
        self._token = None
        side = 1 << level
        corner = QPoint(region[0] * side, region[1] * side)
        self._made = image, QRect(corner, QPoint(region[2] * side - 1, region[3] * side - 1))
        self.changed.emit()
        self._go_on()

    def _fail(self, fault: DustpanError) -> None:
        """Tell what went wrong; the next mask is made all the same."""
        self._token = None
        self.session.jobs.failed.emit(fault)
        self._go_on()

    def _go_on(self) -> None:
        """Make the mask that was wanted meanwhile."""
        if self._again:
            self._again, self._wanted = False, None
            self.refresh()

    # -- painting ---------------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, picture: QRectF, zoom: float) -> None:
        """Paint the mask over the picture, which stands at `picture` on the widget."""
        if self._made is None or self.shown == HIDDEN:
            return
        image, area = self._made
        place = QRectF(
            picture.x() + area.x() * zoom, picture.y() + area.y() * zoom, area.width() * zoom, area.height() * zoom
        )
        if self.shown == GREY:
            painter.drawImage(place, image.convertToFormat(QImage.Format.Format_Grayscale8))
            return
        seen = place.intersected(QRectF(painter.clipBoundingRect())).toAlignedRect()
        if not seen.isEmpty():
            of = image.cacheKey(), place, seen
            if self._hatched is None or self._hatched[0] != of:
                self._hatched = of, self._hatching(image, place, seen)
            painter.drawImage(seen.topLeft(), self._hatched[1])

    def _hatching(self, image: QImage, place: QRectF, seen: QRect) -> QImage:
        """Return diagonal lines over a part of the widget, where the mask leaves the picture alone."""
        lines = QImage(seen.size(), QImage.Format.Format_ARGB32_Premultiplied)
        lines.fill(Qt.GlobalColor.transparent)
        painter = QPainter(lines)
        brush = QBrush(_tile())
        brush.setTransform(QTransform().translate(-(seen.x() % (2 * _EVERY)), -(seen.y() % (2 * _EVERY))))
        painter.fillRect(lines.rect(), brush)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_DestinationIn)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        alone = _as_alpha(image)
        painter.drawImage(place.translated(-seen.x(), -seen.y()), alone)
        painter.end()
        return lines


def _as_alpha(image: QImage) -> QImage:
    """Return a picture whose alpha is what a mask leaves alone."""
    turned = QImage(image)
    turned.invertPixels()
    turned.reinterpretAsFormat(QImage.Format.Format_Alpha8)
    return turned


def _tile() -> QPixmap:
    """Return one repeat of the hatching: a bright line with a dark one beside it, so that it shows on any tone."""
    side = 2 * _EVERY
    tile = QPixmap(side, side)
    tile.fill(Qt.GlobalColor.transparent)
    painter = QPainter(tile)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for colour, shift in ((theme.colour("ground", 100), 1.2), (theme.colour("bright", 105), 0.0)):
        painter.setPen(colour)
        for start in (-side, 0, side):
            painter.drawLine(QPointF(start + shift, side), QPointF(start + shift + side, 0))
    painter.end()
    return tile


def _region(area: QRect, plan: Plan, level: int) -> Region:
    """Return the pixels of a level that an area of the picture lies on."""
    width, height = plan.at(level).size
    x0, y0 = area.left() >> level, area.top() >> level
    x1, y1 = -(-(area.right() + 1) >> level), -(-(area.bottom() + 1) >> level)
    return x0, y0, min(max(x1, x0 + 1), width), min(max(y1, y0 + 1), height)


def _make_mask(engine, plan: Plan, prepared: Prepared, region: Region, check) -> QImage:
    return grey_image(engine.mask(plan, prepared, region, check=check))


def grey_image(mask: np.ndarray) -> QImage:
    """Return a mask (h, w), 0 to 1, as a grey picture."""
    steps = np.ascontiguousarray(np.clip(mask * 255 + 0.5, 0, 255).astype(np.uint8))
    height, width = steps.shape
    return QImage(steps.tobytes(), width, height, width, QImage.Format.Format_Grayscale8).copy()
