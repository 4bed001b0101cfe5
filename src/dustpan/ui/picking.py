"""Values that are taken from the picture: a click or a patch that the user is asked for."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect

from dustpan.core.noise.bare import LEAST_SIDE
from dustpan.core.picture.region import extent_of
from dustpan.core.where import part_kinds
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.route.controls import Controls
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr

_PATCH = 512  # px, largest side of a patch that a range is taken from


class Picking:
    """Hand colours and areas of the picture to the parameters and parts that take them."""

    def __init__(self, session: Session, canvas: Canvas, controls: Controls):
        self.session, self.canvas, self.controls = session, canvas, controls

    def colour(self, key: str) -> None:
        """Ask for a click on the picture and hand the colour there to a parameter."""

        def take(pixel: QPoint) -> None:
            engine = self.session.engine
            if engine is not None:
                x, y = pixel.x(), pixel.y()
                self.controls.take_colour(key, engine.base.read((x, y, x + 1, y + 1))[0, 0])

        self.canvas.ask_point(take)

    def area(self, key: str) -> None:
        """Ask for a patch of the picture, and add it to the areas that a parameter of the chosen step lists."""
        session, step = self.session, self.session.step
        if session.engine is None or step is None or key not in step.params.described():
            return
        size = session.engine.base.size

        def take(patch: QRect) -> None:
            if session.step is None or session.step.id != step.id:
                return
            if min(patch.width(), patch.height()) < LEAST_SIDE:
                session.told.emit(tr("A bare place is at least {least} px wide and high.", least=LEAST_SIDE), False)
                return
            x0, y0 = patch.left(), patch.top()
            area = extent_of((x0, y0, x0 + patch.width(), y0 + patch.height()), size)
            changed = session.with_value(session.step, key, (*getattr(session.step.params, key), area))
            session.change_step(changed, tr("{step}: mark a bare place", step=tr(step.title)))

        self.canvas.ask_patch(take)
        session.told.emit(tr("Drag a rectangle over a place that you know to be empty: sky, a wall, a shadow."), False)

    def bare_place(self, kind: str) -> None:
        """Ask for a bare place for the first step of a kind, which is added when the route has none."""
        self.session.choose_kind(kind)
        self.area("bare")

    def range(self) -> None:
        """Ask for a patch of the picture, and let the part at hand take its range from it."""
        parts, plan = self.canvas.parts, self.session.plan
        part = parts.part

        def take(patch: QRect) -> None:
            if part is None or plan is None:
                return
            x0, y0, x1, y1 = patch.left(), patch.top(), patch.right() + 1, patch.bottom() + 1
            x1, y1 = min(x1, x0 + _PATCH), min(y1, y0 + _PATCH)
            colours = plan.base.read((x0, y0, x1, y1)).reshape(-1, 3)
            params = part_kinds()[part.kind].pick(colours, part.params)
            if params is not None:
                parts.set_params(part, params, tr("where, taken from the picture"))

        self.canvas.ask_patch(take)
