"""A figure of each frame as a dot, in the order of exposure, and a line over which frames are left out."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QSlider, QWidget

from dustpan.core.frames.choice import FIGURES, Choice
from dustpan.core.frames.quality import Quality
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_LEFT, _RIGHT, _TOP, _FOOT = 44, 14, 22, 20  # px around the dots
_DOT = 4.5
_NEAR = 9  # px, of a press to the line or a dot
_STEPS = 60  # of the line by a key, over its range


class QualityPlot(QSlider):
    """Show the frames and the limit. To screen readers it is a slider: the frame that is looked at.

    Signals
    -------
    picked(index) : a frame is to be looked at.
    turned(index) : it is to be taken out, or in again.
    limited(value, dragging) : the line was moved; infinite for none.
    """

    picked = pyqtSignal(int)
    turned = pyqtSignal(int)
    limited = pyqtSignal(float, bool)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.qualities: list[Quality] = []
        self.order: list[int] = []
        self.choice = Choice()
        self.current = 0
        self._holds_line = False
        self.setMinimumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Frames by quality"))
        self.setToolTip(
            tr(
                "Each dot is a frame. Click one to look at it, double-click to leave it out or take it in again; drag"
                " the line to leave out what lies over it.\nKeys: left and right go through the frames, up and down"
                " move the line, the space bar leaves a frame out."
            )
        )

    def show_frames(self, qualities: list[Quality], order: list[int], choice: Choice, current: int) -> None:
        """Show frames as they are; `order` : indices in the order of exposure."""
        self.qualities, self.order, self.choice, self.current = qualities, order, choice, current
        with QSignalBlocker(self):
            self.setRange(1, max(len(order), 1))
            self.setValue(order.index(current) + 1 if current in order else 1)
        if qualities and current < len(qualities):
            state = tr("takes part") if current in choice.kept(qualities) else tr("left out")
            figure = FIGURES[choice.figure]
            value = f"{tr(figure.name)} {figure.of(qualities[current]):.3g} {tr(figure.unit)}".strip()
            self.setAccessibleDescription(
                tr(
                    "Frame {frame} of {count}: {figure}, {state}.",
                    frame=self.value(),
                    count=len(order),
                    figure=value,
                    state=state,
                )
            )
        self.update()

    @property
    def _values(self) -> np.ndarray:
        of = FIGURES[self.choice.figure].of
        return np.array([of(self.qualities[index]) for index in self.order])

    @property
    def _range(self) -> tuple[float, float]:
        """Lowest and highest value of the plot; one far frame does not press the others flat."""
        values = self._values
        low, high = float(values.min()), float(values.max())
        usual = float(np.quantile(values, 0.85))
        high = min(high, usual + 3 * max(usual - low, 1e-9))
        room = max(high - low, abs(high) * 0.02, 1e-9)
        return low - 0.08 * room, high + 0.15 * room

    def _x(self, place: int) -> float:
        count = max(len(self.order), 2)
        return _LEFT + (place + 0.5) / count * (self.width() - _LEFT - _RIGHT)

    def _y(self, value: float) -> float:
        low, high = self._range
        part = min(max((value - low) / (high - low), 0.0), 1.0)
        return self.height() - _FOOT - part * (self.height() - _TOP - _FOOT)

    def _value_at(self, y: float) -> float:
        low, high = self._range
        part = (self.height() - _FOOT - y) / max(self.height() - _TOP - _FOOT, 1)
        return float("inf") if part >= 0.99 else low + max(part, 0.0) * (high - low)

    def paintEvent(self, event):
        """Draw the dots, the line and the scale."""
        painter = theme.paint_on_ground(self)
        if not self.order:
            return
        painter.setFont(theme.font(7.5))
        figure = FIGURES[self.choice.figure]
        low, high = self._range
        painter.setPen(theme.colour("faint"))
        unit = f" {tr(figure.unit)}" if figure.unit else ""
        painter.drawText(QPointF(8, 14), tr("{name}{unit}, frame by frame", name=tr(figure.name), unit=unit))
        for value in np.linspace(low, high, 4)[1:-1]:
            painter.setPen(theme.colour("faint"))
            painter.drawText(QRectF(0, self._y(value) - 8, _LEFT - 8, 16), Qt.AlignmentFlag.AlignRight, f"{value:.3g}")
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(_LEFT, self._y(value)), QPointF(self.width() - _RIGHT, self._y(value)))
        self._paint_line(painter)
        self._paint_dots(painter)

    def _paint_line(self, painter: QPainter) -> None:
        y = _TOP if np.isinf(self.choice.limit) else self._y(self.choice.limit)
        painter.setPen(QPen(theme.colour(theme.MADDER), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - _RIGHT, y))
        painter.setBrush(theme.colour(theme.MADDER))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(QRectF(self.width() - _RIGHT - 6, y - 6, 12, 12), 3, 3)

    def _paint_dots(self, painter: QPainter) -> None:
        kept = set(self.choice.kept(self.qualities))
        for place, (index, value) in enumerate(zip(self.order, self._values.tolist(), strict=True)):
            at = QPointF(self._x(place), self._y(value))
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS if index in kept else "faint"), 1.5))
            painter.setBrush(theme.colour(theme.VERDIGRIS) if index in kept else Qt.BrushStyle.NoBrush)
            if index == 0:  # the reference
                painter.drawRect(QRectF(at.x() - _DOT, at.y() - _DOT, 2 * _DOT, 2 * _DOT))
            else:
                painter.drawEllipse(at, _DOT, _DOT)
            if index == self.current:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.colour("bright"), 1.5))
                painter.drawEllipse(at, _DOT + 4, _DOT + 4)

    def _at(self, position: QPointF) -> int | None:
        """Return the frame whose dot lies under a place."""
        for place, (index, value) in enumerate(zip(self.order, self._values.tolist(), strict=True)):
            if abs(self._x(place) - position.x()) < _NEAR and abs(self._y(value) - position.y()) < _NEAR:
                return index
        return None

    def let_go(self) -> None:
        """Give up a drag."""
        self._holds_line = False

    def mousePressEvent(self, event):
        """Pick a frame, or take the line."""
        if not self.order or event.button() != Qt.MouseButton.LeftButton:
            return
        index = self._at(event.position())
        if index is not None:
            self.picked.emit(index)
            return
        y = _TOP if np.isinf(self.choice.limit) else self._y(self.choice.limit)
        self._holds_line = abs(event.position().y() - y) < _NEAR

    def mouseMoveEvent(self, event):
        """Drag the line."""
        if self._holds_line:
            self.limited.emit(self._value_at(event.position().y()), True)

    def mouseReleaseEvent(self, event):
        """Let the line go."""
        if self._holds_line:
            self._holds_line = False
            self.limited.emit(self._value_at(event.position().y()), False)

    def mouseDoubleClickEvent(self, event):
        """Take a frame out, or in again."""
        index = self._at(event.position()) if self.order else None
        if index is not None:
            self.turned.emit(index)

    def wheelEvent(self, event):
        """Leave the wheel to what scrolls."""
        event.ignore()

    def keyPressEvent(self, event):
        """Left and right go through the frames, up and down move the line, the space bar takes a frame out or in."""
        key = Qt.Key(event.key())
        along = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key, 0)
        up = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(key, 0)
        if not self.order:
            event.ignore()
        elif along:
            place = (self.order.index(self.current) + along) % len(self.order)
            self.picked.emit(self.order[place])
        elif up:
            low, high = self._range
            limit = high if np.isinf(self.choice.limit) else min(self.choice.limit, high)
            limit += up * (high - low) / _STEPS
            self.limited.emit(float("inf") if limit >= high else limit, False)
        elif key == Qt.Key.Key_Space:
            self.turned.emit(self.current)
        else:
            event.ignore()
