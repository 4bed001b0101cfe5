"""Places of a step corrected by hand: a click on a mark spares it, one with the other button adds a place."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from dustpan.core.document.route import Step
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_GRAB = 9  # px around a mark
_RADIUS = 8.0  # px, of a mark
_SPARED, _ADDED = "spared", "added"


class Places:
    """Draw the spared and added places of the chosen step, and turn clicks into edits while marks are shown.

    Attributes
    ----------
    found : returns the marked points (x, y) of what the chosen step finds, or None while no marks are shown.
    show : shows the marks of what the chosen step finds; returns whether there are any.
    """

    def __init__(self, session: Session):
        self.session = session
        self.found: Callable[[], Sequence[tuple[int, int]] | None] = lambda: None
        self.show: Callable[[], bool] = lambda: False

    @property
    def step(self) -> Step | None:
        """The chosen step, when its places can be corrected and marks are shown."""
        return self._able if self.found() is not None else None

    @property
    def _able(self) -> Step | None:
        """The chosen step, when its places can be corrected."""
        step = self.session.step
        return step if step is not None and {_SPARED, _ADDED} <= set(step.params.described()) else None

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Spare the mark under the pointer, or take that back; returns whether there is one."""
        step, size = self.step, self._size()
        if step is None:
            return False
        for key in (_SPARED, _ADDED):
            if (place := self._near(getattr(step.params, key), at, picture)) is not None:
                self._set(step, key, tuple(p for p in getattr(step.params, key) if p != place))
                return True
        points = [((x + 0.5) / size[0], (y + 0.5) / size[1]) for x, y in self.found() or ()]
        if (place := self._near(points, at, picture)) is None:
            return False
        self._set(step, _SPARED, (*getattr(step.params, _SPARED), place))
        return True

    def press_other(self, at: QPointF, picture: QRectF) -> bool:
        """Add a place under the pointer, or take one back; returns whether the step takes any.

        While no marks are shown they are shown first: a place is added beside what is found.
        """
        step = self.step
        if step is None:
            return self._able is not None and picture.contains(at) and self._show_marks()
        if not picture.contains(at):
            return False
        added = getattr(step.params, _ADDED)
        near = self._near(added, at, picture)
        if near is not None:
            self._set(step, _ADDED, tuple(place for place in added if place != near))
            return True
        x, y = (at.x() - picture.x()) / picture.width(), (at.y() - picture.y()) / picture.height()
        size = self._size()
        place = ((int(x * size[0]) + 0.5) / size[0], (int(y * size[1]) + 0.5) / size[1])
        self._set(step, _ADDED, (*added, place))
        return True

    def _show_marks(self) -> bool:
        """Show what the step finds, or say why nothing can be corrected."""
        if self.show():
            self.session.told.emit(tr("These are found. A click spares one, the other button adds a place."), False)
        else:
            self.session.told.emit(tr("Nothing was found here that could be corrected by hand."), False)
        return True

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing is dragged."""
        return False

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing was held."""
        return False

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw a dashed ring round what is spared, a ring with a cross round what is added."""
        step = self.step
        if step is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for key, style in ((_SPARED, Qt.PenStyle.DashLine), (_ADDED, Qt.PenStyle.SolidLine)):
            for pen in (QPen(theme.colour("ground", 190), 3.4), QPen(theme.colour(theme.VERDIGRIS), 1.8, style)):
                painter.setPen(pen)
                for place in getattr(step.params, key):
                    at = _on_widget(place, picture)
                    painter.drawEllipse(at, _RADIUS, _RADIUS)
                    if key == _ADDED:
                        painter.drawLine(at - QPointF(4, 0), at + QPointF(4, 0))
                        painter.drawLine(at - QPointF(0, 4), at + QPointF(0, 4))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def _size(self) -> tuple[int, int]:
        engine = self.session.engine
        return engine.base.size if engine else (1, 1)

    def _near(self, places, at: QPointF, picture: QRectF) -> tuple[float, float] | None:
        """Return the place nearest to a point of the widget, within reach."""
        away = [((_on_widget(place, picture) - at).manhattanLength(), place) for place in places]
        nearest = min(away, default=None)
        return nearest[1] if nearest is not None and nearest[0] <= _GRAB else None

    def _set(self, step: Step, key: str, places: tuple) -> None:
        changed = self.session.with_value(step, key, places)
        self.session.change_step(changed, f"{tr(step.title)}: {tr(step.params.described()[key].label).lower()}")


def _on_widget(place: tuple[float, float], picture: QRectF) -> QPointF:
    return QPointF(picture.x() + place[0] * picture.width(), picture.y() + place[1] * picture.height())
