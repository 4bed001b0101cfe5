"""An ellipse of a Where, drawn and dragged on the picture."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QTransform

from dustpan.ui.translation import tr
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets import theme

_GRAB = 11  # px around a handle
_TURN = 26  # px from the ellipse to the handle that turns it
_LEAST = 28  # px from the middle to a handle, however small the ellipse


class EllipseHandles:
    """Paint the ellipse at hand and turn drags on its handles into edits."""

    def __init__(self, parts: Parts):
        self.parts = parts
        self._held: str | None = None
        self._shift = QPointF()
        self._beyond = 0.0  # px that the held handle stands outside a small ellipse

    @property
    def part(self) -> Any:
        """The part at hand, when it is an ellipse."""
        return self.parts.at_hand("ellipse")

    def _frame(self, picture: QRectF) -> QTransform:
        """Return the map from the unit circle to the widget."""
        p = self.part.params
        frame = QTransform()
        frame.translate(picture.x() + p.cx * picture.width(), picture.y() + p.cy * picture.height())
        frame.rotate(p.angle)
        frame.scale(p.rx * picture.width(), p.ry * picture.height())
        return frame

    def handles(self, picture: QRectF) -> dict[str, QPointF]:
        """Return where the handles stand: middle, width, height, turn; those of a tiny ellipse stand outside it."""
        frame = self._frame(picture)
        middle, across, down, top = (frame.map(QPointF(*at)) for at in ((0, 0), (1, 0), (0, 1), (0, -1)))
        turn = _away(middle, top, max(_length(top - middle), _LEAST) + _TURN)
        width, height = (_away(middle, end, max(_length(end - middle), _LEAST)) for end in (across, down))
        return {"middle": middle, "width": width, "height": height, "turn": turn}

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw outline and handles."""
        if self.part is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        circle = QPainterPath()
        circle.addEllipse(QRectF(-1, -1, 2, 2))
        outline = self._frame(picture).map(circle)
        for pen in (QPen(theme.colour("ground", 160), 3), QPen(theme.colour(theme.VERDIGRIS), 1.4)):
            painter.setPen(pen)
            painter.drawPath(outline)
        handles = self.handles(picture)
        painter.drawLine(self._frame(picture).map(QPointF(0, -1)), handles["turn"])
        painter.setBrush(theme.colour("ground"))
        for name, at in handles.items():
            painter.drawEllipse(at, 5, 5) if name in ("middle", "turn") else painter.drawRect(
                QRectF(at.x() - 4, at.y() - 4, 8, 8)
            )

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Take the handle under the pointer; returns whether there is one."""
        if self.part is None:
            return False
        for name, handle in self.handles(picture).items():
            if (handle - at).manhattanLength() <= _GRAB:
                self._held, self._shift = name, at - handle
                middle = self.handles(picture)["middle"]
                ends = {"width": QPointF(1, 0), "height": QPointF(0, 1)}
                rim = self._frame(picture).map(ends[name]) if name in ends else handle
                self._beyond = _length(handle - middle) - _length(rim - middle)
                return True
        return False

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Drag the handle that is held; returns whether one is."""
        if self._held is None or self.part is None:
            return False
        self._edit(at - self._shift, picture, dragging=True)
        return True

    def let_go(self) -> None:
        """Let the handle go without a change."""
        self._held = None

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """Let the handle go; returns whether one was held."""
        if self._held is None or self.part is None:
            self._held = None
            return False
        self._edit(at - self._shift, picture, dragging=False)
        self._held = None
        return True

    def _edit(self, at: QPointF, picture: QRectF, *, dragging: bool) -> None:
        part = self.part
        assert part is not None
        params = replace(part.params, **self._changes(part.params, at, picture))
        self.parts.set_params(part, params, tr("move the ellipse"), dragging=dragging)

    def _changes(self, params, at: QPointF, picture: QRectF) -> dict[str, float]:
        described = type(params).described()

        def limited(key: str, value: float) -> float:
            return round(min(max(value, described[key].range[0]), described[key].range[1]), 4)

        if self._held == "middle":
            x, y = (at.x() - picture.x()) / picture.width(), (at.y() - picture.y()) / picture.height()
            return {"cx": limited("cx", x), "cy": limited("cy", y)}
        middle = self.handles(picture)["middle"]
        away = at - middle
        if self._held == "turn":
            angle = math.degrees(math.atan2(away.x(), -away.y()))
            return {"angle": limited("angle", angle)}
        length = max(_length(away) - self._beyond, 1.0)
        if self._held == "width":
            return {"rx": limited("rx", length / picture.width())}
        return {"ry": limited("ry", length / picture.height())}


def _length(way: QPointF) -> float:
    return math.hypot(way.x(), way.y())


def _away(start: QPointF, through: QPointF, distance: float) -> QPointF:
    """Return the point at a distance from a start, on the way through another point."""
    return start + (through - start) * (distance / (_length(through - start) or 1.0))
