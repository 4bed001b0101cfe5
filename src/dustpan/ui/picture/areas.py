"""Areas that a step has marked on the picture, drawn as rectangles; a right click on one drops it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from dustpan.core.document.forms import AREAS
from dustpan.core.document.route import Step
from dustpan.core.picture.region import Extent
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme


class Areas:
    """Draw the areas of the chosen step, and drop them."""

    def __init__(self, session: Session):
        self.session = session

    def _lists(self) -> list[tuple[Step, str]]:
        """Return the chosen step with each of its parameters that lists areas."""
        step = self.session.step
        described = {} if step is None else step.params.described()
        return [(step, key) for key, one in described.items() if one.form is AREAS and step is not None]

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing is taken hold of."""
        return False

    def press_other(self, at: QPointF, picture: QRectF) -> bool:
        """Drop the area under the pointer; returns whether there is one."""
        for step, key in self._lists():
            areas = getattr(step.params, key)
            hit = next((area for area in areas if _on_widget(area, picture).contains(at)), None)
            if hit is not None:
                changed = self.session.with_value(step, key, tuple(area for area in areas if area != hit))
                label = tr(step.params.described()[key].label).lower()
                self.session.change_step(
                    changed, tr("{step}: drop one of the {label}", step=tr(step.title), label=label)
                )
                return True
        return False

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing is dragged."""
        return False

    def release(self, at: QPointF, picture: QRectF) -> bool:
        """Return that nothing was held."""
        return False

    def paint(self, painter: QPainter, picture: QRectF) -> None:
        """Draw a dashed rectangle round each area."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for step, key in self._lists():
            for area in getattr(step.params, key):
                for pen in (
                    QPen(theme.colour("ground", 190), 3),
                    QPen(theme.colour(theme.VERDIGRIS), 1.6, Qt.PenStyle.DashLine),
                ):
                    painter.setPen(pen)
                    painter.drawRect(_on_widget(area, picture))


def _on_widget(area: Extent, picture: QRectF) -> QRectF:
    left, top = picture.x() + area[0] * picture.width(), picture.y() + area[1] * picture.height()
    return QRectF(left, top, (area[2] - area[0]) * picture.width(), (area[3] - area[1]) * picture.height())
