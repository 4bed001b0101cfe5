"""A histogram with three handles: what becomes black, what white, and what comes to lie in the middle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QSlider, QWidget

from dustpan.core.judge.histogram import BINS, HIGH, LOW, PLANES, Histogram
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

NAMES = ("black", "midtone", "white")
_WORDS = ("Black point", "Midtone", "White point")
_MARGIN, _FOOT = 9, 13  # px, at the sides and under the counts for the handles
_BEND = 0.35  # of the middle, at a midtone of 1
_LOST = 0.001  # share of pixels from which it is written what is cut off
_TINTS = {"red": "#C8615A", "green": "#6FA86B", "blue": "#6C8FC8"}
_STEP, _FINE = 0.005, 0.001  # tone, by an arrow key


@dataclass(frozen=True)
class Ends:
    """Where the handles stand: tones before the step that become black, the middle, and white."""

    black: float = 0.0
    midtone: float = 0.0
    white: float = 0.0

    @property
    def tones(self) -> tuple[float, float, float]:
        """Return the tones of the three handles."""
        low, high = self.black, 1 - self.white
        return low, low + (0.5 - _BEND * self.midtone) * (high - low), high

    def moved(self, index: int, tone: float) -> float:
        """Return the setting that brings a handle to a tone, within its range."""
        low, high = self.black, 1 - self.white
        if index == 1:
            part = (tone - low) / max(high - low, 1e-6)
            return round(min(max((0.5 - part) / _BEND, -1.0), 1.0), 2)
        return round(min(max(tone if index == 0 else 1 - tone, -0.2), 0.2), 3)


class ToneEnds(QSlider):
    """Draw the counts before (filled) and after (line); drag or nudge a handle to set its parameter.

    For screen readers it is a slider: the tone of the chosen handle. changing(name, value) while a handle is dragged,
    changed(name, value) when it is let go, nudged(name, value) when it moves by a key.
    """

    changing = pyqtSignal(str, float)
    changed = pyqtSignal(str, float)
    nudged = pyqtSignal(str, float)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.ends = Ends()
        self.sides: tuple[Histogram, Histogram] | None = None
        self.plane = 0
        self.chosen = 0
        self._dragging = False
        self.setRange(round(LOW * 1000), round(HIGH * 1000))
        self.setFixedHeight(86)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Ends of tone"))
        self.setToolTip(
            tr(
                "How many pixels there are at each tone: filled before the ends are set, as a line behind the step."
                "\nDrag what is to become black, middle grey and white; up and down choose a handle, left and right"
                " move it; a double-click resets it."
            )
        )

    def show_ends(self, ends: Ends) -> None:
        """Show the handles where they stand."""
        self.ends = ends
        self._describe()
        self.update()

    def show_counts(self, before: Histogram, after: Histogram) -> None:
        """Show newer counts."""
        self.sides = before, after
        self._describe()
        self.update()

    def show_channel(self, see: str) -> None:
        """Show the counts of one channel, "red", "green" or "blue", else those of the tone."""
        self.plane = PLANES.index(see) if see in PLANES else 0
        self._describe()
        self.update()

    def lost(self) -> tuple[float, float]:
        """Return the shares of pixels that are cut off behind the step, at black and at white."""
        if self.sides is None:
            return 0.0, 0.0
        return float(self.sides[1].black[self.plane]), float(self.sides[1].white[self.plane])

    def _describe(self) -> None:
        with QSignalBlocker(self):
            self.setValue(round(self.ends.tones[self.chosen] * 1000))
        black, white = (f"{100 * share:.1f} %" for share in self.lost())
        at = tr("{end} at tone {tone:.0f} %", end=tr(_WORDS[self.chosen]), tone=100 * self.ends.tones[self.chosen])
        self.setAccessibleDescription(
            tr("{at}; {black} lost at black, {white} at white.", at=at, black=black, white=white)
        )

    # -- drawing ----------------------------------------------------------------------------------------------

    def _x(self, tone: float) -> float:
        return _MARGIN + (tone - LOW) / (HIGH - LOW) * (self.width() - 2 * _MARGIN)

    def _line(self, counts: np.ndarray, top: float) -> list[QPointF]:
        floor = self.height() - _FOOT
        tones = LOW + (np.arange(BINS) + 0.5) * (HIGH - LOW) / BINS
        tall = np.minimum(np.sqrt(counts / top), 1.0) * (floor - 16)
        return [QPointF(self._x(tone), floor - height) for tone, height in zip(tones.tolist(), tall.tolist())]

    def paintEvent(self, event):
        """Draw the counts, what is cut off, and the handles."""
        painter = theme.paint_on_ground(self)
        floor = self.height() - _FOOT
        painter.setPen(QPen(theme.colour("line"), 1))
        for tone in (0.0, 1.0):
            painter.drawLine(QPointF(self._x(tone), 16), QPointF(self._x(tone), floor))
        if self.sides is not None:
            self._paint_counts(painter, *(side.counts[self.plane] for side in self.sides))
        self._paint_handles(painter)
        self._paint_words(painter)

    def _paint_counts(self, painter: QPainter, before: np.ndarray, after: np.ndarray) -> None:
        top = max(float(np.sort(before)[-4]), float(np.sort(after)[-4]), 1e-4)  # a spike at an end hides nothing
        floor = self.height() - _FOOT
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawPolygon(
            QPolygonF([QPointF(self._x(LOW), floor), *self._line(before, top), QPointF(self._x(HIGH), floor)])
        )
        tint = _TINTS.get(PLANES[self.plane], theme.VERDIGRIS)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(tint), 1.4))
        painter.drawPolyline(QPolygonF(self._line(after, top)))

    def _paint_handles(self, painter: QPainter) -> None:
        floor = self.height() - _FOOT
        for index, (tone, inner) in enumerate(zip(self.ends.tones, ("ground", "faint", "bright"), strict=True)):
            x = self._x(tone)
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS if index == self.chosen else "faint"), 1))
            painter.drawLine(QPointF(x, 16), QPointF(x, floor))
            painter.setPen(QPen(theme.colour("text"), 1.2))
            chosen = self.hasFocus() and index == self.chosen
            painter.setBrush(theme.colour(theme.VERDIGRIS if chosen else inner))
            painter.drawPolygon(
                QPolygonF([QPointF(x, floor), QPointF(x - 5.5, floor + 9), QPointF(x + 5.5, floor + 9)])
            )

    def _paint_words(self, painter: QPainter) -> None:
        painter.setFont(theme.font(7.5))
        inner = QRectF(self.rect()).adjusted(10, 2, -10, 0)
        sides = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight)
        for share, end, side in zip(self.lost(), ("black", "white"), sides, strict=True):
            marked = share >= _LOST
            painter.setPen(theme.colour(theme.MADDER_WORDS if marked else "faint"))
            text = tr("{share:.1f} % lost at {end}", share=100 * share, end=tr(end)) if marked else end
            painter.drawText(inner, side | Qt.AlignmentFlag.AlignTop, text)

    # -- moving -----------------------------------------------------------------------------------------------

    def _set(self, tone: float, signal) -> None:
        name, value = NAMES[self.chosen], self.ends.moved(self.chosen, tone)
        self.show_ends(Ends(**{**vars(self.ends), name: value}))
        signal.emit(name, value)

    def _tone_at(self, x: float) -> float:
        return LOW + (x - _MARGIN) / max(self.width() - 2 * _MARGIN, 1) * (HIGH - LOW)

    def let_go(self) -> None:
        """Give up a drag."""
        self._dragging = False

    def mousePressEvent(self, event):
        """Take the nearest handle."""
        if event.button() == Qt.MouseButton.LeftButton:
            away = [abs(self._x(tone) - event.position().x()) for tone in self.ends.tones]
            self.chosen, self._dragging = int(np.argmin(away)), True
            self._describe()
            self.update()

    def mouseMoveEvent(self, event):
        """Drag the handle."""
        if self._dragging:
            self._set(self._tone_at(event.position().x()), self.changing)

    def mouseReleaseEvent(self, event):
        """Let the handle go where it stands."""
        if self._dragging:
            self._dragging = False
            self.changed.emit(NAMES[self.chosen], getattr(self.ends, NAMES[self.chosen]))

    def mouseDoubleClickEvent(self, event):
        """Reset the handle."""
        self._dragging = False
        self._set((0.0, self.ends.tones[0] / 2 + self.ends.tones[2] / 2, 1.0)[self.chosen], self.nudged)

    def wheelEvent(self, event):
        """Leave the wheel to what scrolls."""
        event.ignore()

    def keyPressEvent(self, event):
        """Up and down choose a handle, left and right move it, finer with Shift."""
        key = Qt.Key(event.key())
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key, 0)
        turn = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(key, 0)
        if way:
            self._set(self.ends.tones[self.chosen] + way * (_FINE if fine else _STEP), self.nudged)
        elif turn:
            self.chosen = min(max(self.chosen + turn, 0), len(NAMES) - 1)
            self._describe()
            self.update()
        else:
            event.ignore()
