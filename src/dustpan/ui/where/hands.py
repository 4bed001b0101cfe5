"""Hands on the picture: gradient handles, brush strokes, clicks on a thing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from dustpan.core.document.forms import Stroke
from dustpan.ui.translation import tr
from dustpan.ui.where.parts import Parts
from dustpan.ui.widgets import theme

_GRAB = 11  # px around a handle
_CLOSE = 0.08  # of the brush's radius: points of a stroke nearer than that are left out


def in_parts(at: QPointF, picture: QRectF) -> tuple[float, float]:
    """Return a place of the widget in parts of the picture's width and height."""
    return (at.x() - picture.x()) / picture.width(), (at.y() - picture.y()) / picture.height()


def on_widget(x: float, y: float, picture: QRectF) -> QPointF:
    """Return where a place of the picture stands on the widget."""
    return QPointF(picture.x() + x * picture.width(), picture.y() + y * picture.height())


def _limited(value: float, low: float = -1.0, high: float = 2.0) -> float:
    return round(min(max(value, low), high), 4)


class GradientHandles:
    """The two ends of a gradient, drawn and dragged on the picture."""

    def __init__(self, parts: Parts):
        self.parts = parts
        self._held: str | None = None

    def handles(self, picture: QRectF) -> dict[str, QPointF]:
        """Return where the handles stand: full, nothing, and the middle that moves both."""
        part = self.parts.at_hand("gradient")
        if part is None:
            return {}
        p = part.params
        full, nothing = on_widget(p.x0, p.y0, picture), on_widget(p.x1, p.y1, picture)
        return {"full": full, "nothing": nothing, "middle": (full + nothing) / 2}

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw the line between both ends, a full dot where it is full and an open one where nothing is left."""
        handles = self.handles(picture)
        if not handles:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for pen in (QPen(theme.colour("ground", 160), 3), QPen(theme.colour(theme.VERDIGRIS), 1.4)):
            painter.setPen(pen)
            painter.drawLine(handles["full"], handles["nothing"])
            for name in ("full", "nothing"):
                across = _across(handles, picture)
                painter.drawLine(handles[name] - across, handles[name] + across)
        for name, at in handles.items():
            painter.setBrush(theme.colour(theme.VERDIGRIS if name == "full" else "ground"))
            painter.drawEllipse(at, 6 if name != "middle" else 4, 6 if name != "middle" else 4)

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Take the handle under the pointer; returns whether there is one."""
        near = [name for name, handle in self.handles(picture).items() if (handle - at).manhattanLength() <= _GRAB]
        self._held = near[0] if near else None
        return bool(near)

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Drag the handle that is held; returns whether one is."""
        return self._edit(at, picture, dragging=True)

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """Let the handle go; returns whether one was held."""
        held = self._edit(at, picture, dragging=False)
        self._held = None
        return held

    def let_go(self) -> None:
        """Let the handle go without a change."""
        self._held = None

    def _edit(self, at: QPointF, picture: QRectF, *, dragging: bool) -> bool:
        part = self.parts.at_hand("gradient")
        if self._held is None or part is None:
            return False
        x, y = in_parts(at, picture)
        p = part.params
        if self._held == "full":
            changes = {"x0": x, "y0": y}
        elif self._held == "nothing":
            changes = {"x1": x, "y1": y}
        else:
            across, down = x - (p.x0 + p.x1) / 2, y - (p.y0 + p.y1) / 2
            changes = {"x0": p.x0 + across, "y0": p.y0 + down, "x1": p.x1 + across, "y1": p.y1 + down}
        params = replace(p, **{key: _limited(value) for key, value in changes.items()})
        self.parts.set_params(part, params, tr("where, move the gradient"), dragging=dragging)
        return True


def _across(handles: dict[str, QPointF], picture: QRectF) -> QPointF:
    """Return half of the bar that is drawn at each end of a gradient."""
    way = handles["nothing"] - handles["full"]
    length = max((way.x() ** 2 + way.y() ** 2) ** 0.5, 1.0)
    return QPointF(-way.y(), way.x()) * (0.12 * min(picture.width(), picture.height()) / length)


class Brush:
    """Strokes painted on the picture while a brush part is at hand and the panel is open."""

    def __init__(self, parts: Parts):
        self.parts = parts
        self.pressure = 1.0  # of a tablet, where there is one
        self._points: list[tuple[float, float, float]] = []
        self._before: tuple[Stroke, ...] = ()  # the strokes that were there when this one began
        self._erasing = False
        self.at: QPointF | None = None  # the pointer, for the cursor

    @property
    def part(self) -> Any:
        """The brush part at hand, while it can be painted on."""
        return self.parts.at_hand("brush")

    def press(self, at: QPointF, picture: QRectF, *, erase: bool = False) -> bool:
        """Begin a stroke; returns whether there is a brush."""
        if self.part is None or not picture.contains(at):
            return False
        self._points, self._before, self._erasing = [], self.part.params.strokes, erase
        self._add(at, picture)
        self._show(dragging=True)
        return True

    def press_other(self, at: QPointF, picture: QRectF) -> bool:
        """Begin a stroke that does the opposite of what is set."""
        return self.press(at, picture, erase=True)

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Go on with the stroke; returns whether one is under way."""
        self.at = at
        if not self._points or self.part is None:
            return False
        if self._add(at, picture):
            self._show(dragging=True)
        return True

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """End the stroke; returns whether one was under way."""
        if not self._points or self.part is None:
            self._points = []
            return False
        self._show(dragging=False)
        self._points = []
        return True

    def let_go(self) -> None:
        """End the stroke without a change."""
        self._points = []

    def _add(self, at: QPointF, picture: QRectF) -> bool:
        """Add a point that is far enough from the last one."""
        x, y = in_parts(at, picture)
        if self._points:
            last = on_widget(*self._points[-1][:2], picture)
            radius = self.parts.tip.size * max(picture.width(), picture.height()) / 2
            if (last - at).manhattanLength() < max(_CLOSE * radius, 1.0):
                return False
        self._points.append((_limited(x), _limited(y), round(self.pressure, 3)))
        return True

    def _show(self, *, dragging: bool) -> None:
        """Put the stroke, as far as it is drawn, behind the strokes that were there before."""
        part, tip = self.part, self.parts.tip
        assert part is not None
        mode = "erase" if tip.erase != self._erasing else "add"
        stroke = Stroke(tuple(self._points), tip.size, tip.softness, tip.opacity, mode)
        params = replace(part.params, strokes=(*self._before, stroke))
        self.parts.set_params(part, params, tr("where, a stroke"), dragging=dragging)

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw the brush as a cursor: its rim, and where it begins to fade; dark and bright, to show on anything."""
        if self.part is None or self.at is None or not picture.contains(self.at):
            return
        tip = self.parts.tip
        radius = max(tip.size * max(picture.width(), picture.height()) / 2, 1.5)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        inner = radius * (1 - tip.softness)
        for pen in (QPen(theme.colour("ground", 200), 3.0), QPen(theme.colour("bright", 230), 1.2)):
            painter.setPen(pen)
            painter.drawEllipse(self.at, radius, radius)
            if tip.softness > 0.05 and inner > 3:
                pen.setStyle(Qt.PenStyle.DotLine)
                painter.setPen(pen)
                painter.drawEllipse(self.at, inner, inner)
        if tip.erase:
            painter.drawLine(self.at - QPointF(4, 0), self.at + QPointF(4, 0))


class Clicks:
    """Clicks that grow a cover, or leave out of it, while such a part is at hand and the panel is open."""

    def __init__(self, parts: Parts):
        self.parts = parts

    @property
    def part(self) -> Any:
        """The part at hand, while it takes clicks."""
        return self.parts.at_hand("grown")

    def press(self, at: QPointF, picture: QRectF, *, belongs: bool = True) -> bool:
        """Add a click, or take one back that is under the pointer; returns whether there is such a part."""
        part = self.part
        if part is None or not picture.contains(at):
            return False
        near = [s for s in part.params.seeds if (on_widget(s[0], s[1], picture) - at).manhattanLength() <= _GRAB]
        x, y = (_limited(value, 0.0, 1.0) for value in in_parts(at, picture))
        seeds = tuple(s for s in part.params.seeds if s not in near) if near else (*part.params.seeds, (x, y, belongs))
        self.parts.set_params(part, replace(part.params, seeds=seeds), tr("where, a click"))
        return True

    def press_other(self, at: QPointF, picture: QRectF) -> bool:
        """Add a click on what does not belong."""
        return self.press(at, picture, belongs=False)

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing is dragged."""
        return False

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing was held."""
        return False

    def let_go(self) -> None:
        """Do nothing: nothing is held."""

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw a ring with a plus on what belongs, with a minus on what does not."""
        part = self.part
        if part is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(theme.colour("ground", 150))
        for x, y, belongs in part.params.seeds:
            at = on_widget(x, y, picture)
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS if belongs else theme.MADDER), 1.8))
            painter.drawEllipse(at, 7.0, 7.0)
            painter.drawLine(at - QPointF(4, 0), at + QPointF(4, 0))
            if belongs:
                painter.drawLine(at - QPointF(0, 4), at + QPointF(0, 4))
