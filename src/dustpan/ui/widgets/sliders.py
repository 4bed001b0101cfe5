"""A slider for one described number: tick at the proposed value, typed values, wheel, arrows, double-click."""

from __future__ import annotations

import re

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSlider, QVBoxLayout, QWidget

from dustpan.core.document.params import Param
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_KNOB = 5.5
_CLICK = 3  # px that a press moves before it is a drag
_ENTRY = 92  # px, least width of the field of a value
_FINE = 0.2  # of a step, with Shift


class Groove(QSlider):
    """The line with its knob. It is a slider for screen readers, and knows nothing but parts from 0 to 1.

    moved(part, dragging) : the knob was put somewhere. tapped(part) : by a click without a drag. nudged(notches, fine).
    """

    moved = pyqtSignal(float, bool)
    tapped = pyqtSignal(float)
    nudged = pyqtSignal(int, bool)
    reset = pyqtSignal()

    def __init__(self, steps: int = 1000, parent: QWidget | None = None):
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.part, self.rest = 0.0, 0.0
        self.tick: float | None = None
        self.limit: float | None = None
        self._pressed: float | None = None
        self._dragging = False
        self.setRange(0, max(steps, 1))
        self.setFixedHeight(17)
        self.setMinimumWidth(60)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.valueChanged.connect(lambda value: self.moved.emit(value / self.maximum(), False))  # from assistive tools

    def show_parts(self, part: float, rest: float, tick: float | None, limit: float | None = None) -> None:
        """Set the knob, the place the bar grows from, the measured tick, and where harm begins."""
        if (part, rest, tick, limit) != (self.part, self.rest, self.tick, self.limit):
            self.part, self.rest, self.tick, self.limit = part, rest, tick, limit
            with QSignalBlocker(self):
                self.setValue(round(part * self.maximum()))
            self.update()

    def _x(self, part: float) -> float:
        return _KNOB + part * (self.width() - 2 * _KNOB)

    def paintEvent(self, event):
        """Draw the groove, the part taken, the tick, the limit and the knob."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        y = 7.0
        on = self.isEnabled()
        painter.setBrush(theme.colour("ground"))
        painter.drawRoundedRect(QRectF(self._x(0), y - 2, self._x(1) - self._x(0), 4), 2, 2)
        painter.setBrush(theme.colour(theme.VERDIGRIS if on else "line"))
        low, high = sorted((self._x(self.rest), self._x(self.part)))
        painter.drawRoundedRect(QRectF(low, y - 2, high - low, 4), 2, 2)
        if self.tick is not None:
            painter.setBrush(theme.colour("text"))
            painter.drawRect(QRectF(self._x(self.tick) - 0.75, y + 4, 1.5, 7))
        if self.limit is not None:
            painter.setBrush(theme.colour(theme.MADDER))
            x = self._x(self.limit)
            painter.drawRoundedRect(QRectF(x, y - 2, self._x(1) - x, 4), 2, 2)
            painter.drawPolygon(QPolygonF([QPointF(x - 4, y + 10), QPointF(x + 4, y + 10), QPointF(x, y + 3)]))
        painter.setBrush(theme.colour("bright" if self.hasFocus() else "text") if on else theme.colour("line"))
        painter.drawEllipse(QPointF(self._x(self.part), y), _KNOB, _KNOB)
        if self.hasFocus():
            painter.setBrush(theme.colour(theme.VERDIGRIS))
            painter.drawEllipse(QPointF(self._x(self.part), y), 2.5, 2.5)

    def _part_at(self, x: float) -> float:
        return min(max((x - _KNOB) / max(self.width() - 2 * _KNOB, 1), 0.0), 1.0)

    def mousePressEvent(self, event):
        """Take the knob."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._dragging = event.position().x(), False

    def mouseMoveEvent(self, event):
        """Drag the knob."""
        at = event.position().x()
        if self._pressed is not None and (self._dragging or abs(at - self._pressed) > _CLICK):
            self._dragging = True
            self.moved.emit(self._part_at(at), True)

    def mouseReleaseEvent(self, event):
        """Let the knob go."""
        if self._pressed is None:
            return
        dragged, self._pressed, self._dragging = self._dragging, None, False
        part = self._part_at(event.position().x())
        if dragged:
            self.moved.emit(part, False)
        else:
            self.tapped.emit(part)

    def let_go(self) -> None:
        """Give up a drag; what it did is taken back by whoever keeps the value."""
        self._pressed, self._dragging = None, False

    def mouseDoubleClickEvent(self, event):
        """Reset."""
        self.let_go()
        self.reset.emit()

    def wheelEvent(self, event):
        """Move by notches, but only when chosen, so that scrolling past changes nothing."""
        if not self.hasFocus():
            event.ignore()
            return
        delta = event.angleDelta().y() or event.angleDelta().x()
        if delta:
            self.nudged.emit(1 if delta > 0 else -1, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        event.accept()

    def keyPressEvent(self, event):
        """Move by arrow keys, finer with Shift; Home and End go to the ends; all else is the window's."""
        notch = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}.get(
            Qt.Key(event.key())
        )
        if notch:
            self.nudged.emit(notch, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.moved.emit(float(event.key() == Qt.Key.Key_End), False)
        else:
            event.ignore()


class Entry(QLineEdit):
    """A typed value. A click takes the whole text; Return and Esc leave the field, Esc takes back what was typed."""

    left = pyqtSignal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("value")
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._fresh = False
        self._before = ""
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.NoContextMenu)  # the slider's own is asked

    def focusInEvent(self, event):
        """Remember what stood here, and take the whole text."""
        super().focusInEvent(event)
        self._fresh = event.reason() == Qt.FocusReason.MouseFocusReason
        self._before = self.text()
        self.selectAll()

    def mouseReleaseEvent(self, event):
        """Keep the whole text taken after the click that came in."""
        super().mouseReleaseEvent(event)
        if self._fresh and not self.selectedText():
            self.selectAll()
        self._fresh = False

    def event(self, event):
        """Keep Return and Esc from the window's own use of them."""
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in _LEAVING:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event):
        """Leave by Return or Esc."""
        if event.key() == Qt.Key.Key_Escape:
            self.setText(self._before)
            self.setModified(False)
            self.window().setFocus()
        elif event.key() in _LEAVING:
            super().keyPressEvent(event)
            self.window().setFocus()
        else:
            super().keyPressEvent(event)


_LEAVING = (Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class NumberSlider(QWidget):
    """A described number: label, typed value with its unit, groove.

    changing(value) while it is dragged, changed(value) when it is let go or typed, nudged(value) when it moves by a
    notch, a key or a click, of which several at once are one change.
    """

    changing = pyqtSignal(float)
    changed = pyqtSignal(float)
    nudged = pyqtSignal(float)
    asked = pyqtSignal(object)  # a right click at this position

    def __init__(self, described: Param, *, default: float | None = None, parent: QWidget | None = None):
        super().__init__(parent)
        self.described = described
        self.value = float(described.default if default is None else default)
        self._default = self.value
        self._measured: float | None = None
        self._limit: float | None = None
        self._past = ""  # what harm begins there
        self.label = QLabel(tr(described.label))
        self.entry = Entry()
        widest = max(self.fontMetrics().horizontalAdvance(self._text(end)) for end in described.range)
        self.entry.setFixedSize(max(_ENTRY, widest + 10), 20)
        step = described.step or 0.01
        self.groove = Groove(round((described.range[1] - described.range[0]) / step))
        for widget in (self, self.label, self.entry, self.groove):
            widget.setToolTip(_tip(described))
        for widget in (self.entry, self.groove):
            widget.setAccessibleName(tr(described.label))
        self._lay_out()
        self.groove.moved.connect(lambda part, dragging: self._take(self._value_at(part), dragging))
        self.groove.tapped.connect(lambda part: self._take(self._value_at(part), False, nudge=True))
        self.groove.nudged.connect(self._nudge)
        self.groove.reset.connect(self._reset)
        self.entry.editingFinished.connect(self._typed)
        self.show_value(self.value)

    def contextMenuEvent(self, event):
        """Offer to copy the value, and to paste one."""
        self.asked.emit(event.globalPos())

    def _lay_out(self) -> None:
        self._top = top = QHBoxLayout()
        top.addWidget(self.label)
        top.addStretch()
        top.addWidget(self.entry)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(top)
        whole.addWidget(self.groove)

    def add_beside_label(self, widget: QWidget) -> None:
        """Put a small widget to the right of the label."""
        self._top.insertWidget(1, widget)

    def show_limit(self, limit: float | None, words: str = "") -> None:
        """Show the value past which harm begins, and say which; None for none."""
        if (limit, words) == (self._limit, self._past):
            return
        self._limit, self._past = limit, words
        tip = _tip(self.described) + (f"\n{words}" if words else "")
        for widget in (self, self.label, self.groove):
            widget.setToolTip(tip)
        self.show_value(self.value, self._measured)

    def show_value(self, value: float, measured: float | None = None) -> None:
        """Show a value, and a tick where the proposal puts it."""
        self.value, self._measured = float(value), measured
        text = self._text(self.value)
        if not self.entry.hasFocus() or not self.entry.isModified():
            self.entry.setText(text)
            self.entry.setModified(False)
        past = "" if self._limit is None else tr(" Harm begins at {limit}.", limit=self._text(self._limit))
        self.groove.setAccessibleDescription(f"{text}. {tr(self.described.help)}{past}")
        low, high = self.described.range
        rest = self._part(0.0) if low < 0 < high else 0.0
        tick, limit = (None if mark is None else self._part(mark) for mark in (measured, self._limit))
        self.groove.show_parts(self._part(self.value), rest, tick, limit)

    def _text(self, value: float) -> str:
        """Return the value with as many digits as its steps have, one more where a fine step needs it."""
        step = self.described.step or 0.01
        digits = 0 if step >= 1 else 1 if step >= 0.1 else 2
        if abs(value - round(value, digits)) > 1e-6:
            digits += 1
        return f"{value:.{digits}f} {tr(self.described.unit)}".strip()

    def _part(self, value: float) -> float:
        low, high = self.described.range
        return min(max((value - low) / (high - low), 0.0), 1.0)

    def _value_at(self, part: float) -> float:
        (low, high), step = self.described.range, self.described.step or 0.01
        value = low + part * (high - low)
        return min(max(round(value / step) * step, low), high)

    def _take(self, value: float, dragging: bool, *, nudge: bool = False) -> None:
        whole = isinstance(self.described.default, int)
        value = float(round(value)) if whole else round(value, 6)
        self.show_value(value, self._measured)
        (self.changing if dragging else self.nudged if nudge else self.changed).emit(value)

    def _nudge(self, notches: int, fine: bool) -> None:
        whole = isinstance(self.described.default, int)
        step = (self.described.step or 0.01) * (_FINE if fine and not whole else 1.0)
        low, high = self.described.range
        value = min(max(self.value + notches * step, low), high)
        self._take(value, False, nudge=True)

    def _reset(self) -> None:
        """Go back to the proposed value, or to the default where nothing is proposed."""
        self._take(self._default if self._measured is None else self._measured, False, nudge=True)

    def _typed(self) -> None:
        if not self.entry.isModified():
            return
        self.entry.setModified(False)
        match = re.search(r"[-+]?\d*[.,]?\d+", self.entry.text())
        if match is None:
            self.show_value(self.value, self._measured)
            return
        value = float(match.group().replace(",", "."))
        low, high = self.described.range
        self._take(min(max(value, low), high), False)


def _tip(described: Param) -> str:
    unit = f" {tr(described.unit)}" if described.unit else ""
    return tr(
        "{help}\n{low:g} to {high:g}{unit}; double-click goes back to the proposal.",
        help=tr(described.help),
        low=described.low,
        high=described.high,
        unit=unit,
    )
