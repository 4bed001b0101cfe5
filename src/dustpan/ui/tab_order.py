"""Tab goes where the eye goes: panel after panel, within each line by line, with a ring round where it is."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QApplication, QScrollArea, QWidget

from dustpan.ui.widgets import theme
from dustpan.ui.widgets.sliders import NumberSlider

_LINE = 12  # px, up to which the upper edges of what stands in one line differ
_BEYOND = 2  # px from a widget to the ring round it


class TabOrder(QObject):
    """The order in which Tab goes through a window.

    Parameters
    ----------
    panels : in the order in which the eye reads them; what stands in none of them is not reached.
    """

    def __init__(self, window: QWidget, panels: Sequence[QWidget]):
        super().__init__(window)
        self._panels = panels
        self.ring = FocusRing(window)

    def stops(self) -> list[QWidget]:
        """Return what Tab reaches now, in order."""
        return [stop for panel in self._panels if panel.isVisible() for stop in _by_lines(panel)]

    def move(self, forward: bool) -> bool:
        """Go to the next stop, or the one before; return whether there is any."""
        stops, focus = self.stops(), QApplication.focusWidget()
        if not stops:
            return False
        start = -1 if forward else 0
        at = stops.index(focus) if focus in stops else start
        stop = stops[(at + (1 if forward else -1)) % len(stops)]
        stop.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        _scroll_to(stop)
        self.ring.surround(stop)
        return True


def _by_lines(panel: QWidget) -> list[QWidget]:
    """Return the stops of a panel: from the top to the bottom, in each line from the left to the right."""
    stops = [widget for widget in (panel, *panel.findChildren(QWidget)) if _is_stop(widget)]
    together: dict[QWidget, list[QWidget]] = {}
    for stop in stops:
        together.setdefault(_unit_of(stop), []).append(stop)
    if len(together) == 1:
        together = {stop: [stop] for stop in stops}
    lines: list[list[QWidget]] = []
    for unit in sorted(together, key=lambda unit: _place(unit, panel).y()):
        if lines and _place(unit, panel).y() - _place(lines[-1][0], panel).y() <= _LINE:
            lines[-1].append(unit)
        else:
            lines.append([unit])
    units = [unit for line in lines for unit in sorted(line, key=lambda unit: _place(unit, panel).x())]
    return [stop for unit in units for stop in (together[unit] if unit in together[unit] else _by_lines(unit))]


def _unit_of(stop: QWidget) -> QWidget:
    """Return what is gone through as a whole: a slider with its value and its words, or the stop alone."""
    above = stop.parentWidget()
    return above if isinstance(above, NumberSlider) else stop


def _place(widget: QWidget, panel: QWidget) -> QPoint:
    return widget.mapTo(panel, QPoint(0, 0))


def _is_stop(widget: QWidget) -> bool:
    by_tab = bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus) and widget.focusProxy() is None
    return by_tab and widget.isVisible() and widget.isEnabled()


def _scroll_to(widget: QWidget) -> None:
    above = widget.parentWidget()
    while above is not None:
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(widget, 12, 12)
        above = above.parentWidget()


class FocusRing(QWidget):
    """A ring round the widget that Tab went to, until something else has the focus."""

    def __init__(self, window: QWidget):
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()
        self._widget: QWidget | None = None
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._on_focus)

    def surround(self, widget: QWidget) -> None:
        """Show the ring round a widget."""
        self._forget()
        self._widget = widget
        widget.installEventFilter(self)
        self._place()
        self.show()
        self.raise_()

    def _on_focus(self, old: QWidget | None, new: QWidget | None) -> None:
        if new is not self._widget:
            self._forget()

    def _forget(self) -> None:
        if self._widget is not None:
            self._widget.removeEventFilter(self)
            self._widget = None
        self.hide()

    def eventFilter(self, watched, event):
        """Follow the widget; where it goes the ring goes."""
        kind = event.type()
        if kind in (QEvent.Type.Move, QEvent.Type.Resize):
            self._place()
        elif kind == QEvent.Type.Hide:
            self._forget()
        return False

    def _place(self) -> None:
        widget, window = self._widget, self.parentWidget()
        if widget is None or window is None:
            return
        place = QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())
        around = place.adjusted(-_BEYOND, -_BEYOND, _BEYOND, _BEYOND)
        self.setGeometry(around.intersected(window.rect()))

    def paintEvent(self, event):
        """Draw the ring."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 2))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)
