"""Noise over tone as a plot with five handles: what was found, and what will be taken away."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QSlider, QWidget

from dustpan.core.document.params import Param
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

HANDLES = np.linspace(0.0, 1.0, 5)
_MARGIN = 9


class TonePlot(QSlider):
    """Draw found noise (levels over tone) and the part taken; dragging a handle sets its factor.

    For screen readers it is a slider: the factor of the chosen handle. changing(factors) while a handle is dragged,
    changed(factors) when it is let go, nudged(factors) when it moves by a key.
    """

    changing = pyqtSignal(object)
    changed = pyqtSignal(object)
    nudged = pyqtSignal(object)
    asked = pyqtSignal(object)  # a right click at this position

    def __init__(self, described: Param, parent: QWidget | None = None):
        super().__init__(Qt.Orientation.Vertical, parent)
        self.described = described
        self.setRange(0, round(described.range[1] * 100))
        self.factors = tuple(described.default)
        self.found: np.ndarray = np.zeros(len(TONES))
        self.before: np.ndarray | None = None  # what was measured in the whole picture
        self.strength = 1.0
        self.chosen = 0
        self._dragging = False
        self._top = 1.0
        self.setFixedHeight(68)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            tr(
                "{help}\nDrag a handle, or choose one with the arrow keys; double-click resets it.",
                help=tr(described.help),
            )
        )
        self.setAccessibleName(tr(described.label))

    def show_noise(
        self, found: np.ndarray, strength: float, factors: tuple[float, ...], before: np.ndarray | None = None
    ) -> None:
        """Show the deviation found (1 is the whole range; at `TONES`), the strength 0 to 1 and the five factors.

        before : the deviation measured in the whole picture, where another is in use.
        """
        self.before = None if before is None else np.asarray(before) * DISPLAY
        self.found, self.strength, self.factors = np.asarray(found) * DISPLAY, strength, tuple(factors)
        if not self._dragging:
            reach = np.interp(HANDLES, TONES, self.found) * np.maximum(np.asarray(factors) * strength, 1.0)
            self._top = max(float(self.found.max()), float(reach.max()), 1.0) * 1.3
        self._describe()
        self.update()

    def _describe(self) -> None:
        """Say in words which handle is chosen and where it stands."""
        with QSignalBlocker(self):
            self.setValue(round(self.factors[self.chosen] * 100))
        tone = f"{HANDLES[self.chosen]:.0%}".replace("%", " %")
        self.setAccessibleDescription(
            tr(
                "At tone {tone}: {factor:.2f} times. {help}",
                tone=tone,
                factor=self.factors[self.chosen],
                help=tr(self.described.help),
            )
        )

    def wheelEvent(self, event):
        """Leave the wheel to what scrolls."""
        event.ignore()

    def let_go(self) -> None:
        """Give up a drag."""
        self._dragging = False

    def _point(self, tone: float, noise: float) -> QPointF:
        width, height = self.width() - 2 * _MARGIN, self.height() - 2 * _MARGIN
        return QPointF(_MARGIN + tone * width, self.height() - _MARGIN - min(noise / self._top, 1.05) * height)

    def _handle(self, index: int) -> QPointF:
        found = float(np.interp(HANDLES[index], TONES, self.found))
        return self._point(HANDLES[index], found * self.factors[index] * self.strength)

    def paintEvent(self, event):
        """Draw the two curves, the area taken and the handles."""
        painter = theme.paint_on_ground(self)
        taken = self.found * np.interp(TONES, HANDLES, self.factors) * self.strength
        line = [self._point(t, v) for t, v in zip(TONES.tolist(), taken.tolist(), strict=True)]
        floor = [self._point(1.0, 0), self._point(0.0, 0)]
        painter.setBrush(theme.colour(theme.VERDIGRIS, 95))
        painter.drawPolygon(QPolygonF([*line, *floor]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1.5))
        painter.drawPolyline(QPolygonF(line))
        painter.setPen(QPen(theme.colour(theme.MADDER), 1.5, Qt.PenStyle.DashLine))
        painter.drawPolyline(
            QPolygonF([self._point(t, v) for t, v in zip(TONES.tolist(), self.found.tolist(), strict=True)])
        )
        if self.before is not None:
            painter.setPen(QPen(theme.colour("faint"), 1.2, Qt.PenStyle.DotLine))
            painter.drawPolyline(
                QPolygonF([self._point(t, v) for t, v in zip(TONES.tolist(), self.before.tolist(), strict=True)])
            )
        self._paint_handles(painter)
        painter.setPen(theme.colour("faint"))
        painter.setFont(theme.font(7.5))
        inner = QRectF(self.rect()).adjusted(10, 4, -10, -2)
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, tr(self.described.label))
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, self._figures())

    def _figures(self) -> str:
        if self.before is None:
            return tr("found: up to {found:.1f}", found=self.found.max())
        return tr("up to {found:.1f}, was {before:.1f}", found=self.found.max(), before=self.before.max())

    def _paint_handles(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        for index in range(5):
            painter.setBrush(theme.colour("text"))
            painter.drawEllipse(self._handle(index), 5, 5)
            if self.hasFocus() and index == self.chosen:
                painter.setBrush(theme.colour(theme.VERDIGRIS))
                painter.drawEllipse(self._handle(index), 2.5, 2.5)

    def _set(self, factor: float, *, dragging: bool, nudge: bool = False) -> None:
        factors = list(self.factors)
        low, high = self.described.range
        factors[self.chosen] = round(min(max(factor, low), high), 3)
        self.factors = tuple(factors)
        self.update()
        self._describe()
        (self.changing if dragging else self.nudged if nudge else self.changed).emit(self.factors)

    def _factor_at(self, y: float) -> float:
        height = self.height() - 2 * _MARGIN
        noise = (self.height() - _MARGIN - y) / height * self._top
        found = float(np.interp(HANDLES[self.chosen], TONES, self.found)) * self.strength
        return noise / found if found > 1e-6 else self.factors[self.chosen]

    def contextMenuEvent(self, event):
        """Offer to copy the values, and to paste some."""
        self.asked.emit(event.globalPos())

    def mousePressEvent(self, event):
        """Take the nearest handle."""
        if event.button() == Qt.MouseButton.LeftButton:
            self.chosen = int(np.argmin([abs(self._handle(i).x() - event.position().x()) for i in range(5)]))
            self._dragging = True
            self.update()

    def mouseMoveEvent(self, event):
        """Drag the handle up or down."""
        if self._dragging:
            self._set(self._factor_at(event.position().y()), dragging=True)

    def mouseReleaseEvent(self, event):
        """Let the handle go."""
        if self._dragging:
            self._dragging = False
            self.changed.emit(self.factors)

    def mouseDoubleClickEvent(self, event):
        """Reset the handle."""
        self._dragging = False
        self._set(self.described.default[self.chosen], dragging=False, nudge=True)

    def keyPressEvent(self, event):
        """Left and right choose a handle, up and down move it, finer with Shift."""
        key = Qt.Key(event.key())
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = (self.described.step or 0.05) * (0.2 if fine else 1.0)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.chosen = min(max(self.chosen + (1 if key == Qt.Key.Key_Right else -1), 0), 4)
            self._describe()
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._set(self.factors[self.chosen] + (step if key == Qt.Key.Key_Up else -step), dragging=False, nudge=True)
        else:
            event.ignore()
