"""The values under the pointer, before and after the route; the lamp does not change them."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, QPoint, QTimer

from dustpan.core.picture.working import from_working
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import Compare
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.configured import configured

_AGAIN = 80  # ms from a change of the picture to the values as they are then


class Values(QObject):
    """Write a line into the picture's corner: the pixel under the pointer, and its values on both sides.

    Where the screen shows them as they are they are read from it; else a worker fetches them.
    """

    def __init__(self, session: Session, compare: Compare, canvas: Canvas):
        super().__init__(canvas)
        self.session, self.compare, self.canvas = session, compare, canvas
        self._token = Token()
        self._pixel: QPoint | None = None
        self._again = configured(QTimer(self), singleShot=True, interval=_AGAIN)
        self._again.timeout.connect(lambda: self.point_at(self._pixel))
        canvas.pointed.connect(self.point_at)
        session.opened.connect(lambda: self.point_at(None))
        for signal in (canvas.tiles.changed, canvas.other.changed):  # the pointer may rest while the picture changes
            signal.connect(self._again.start)

    def stop(self) -> None:
        """Drop the fetch under way."""
        self._again.stop()
        self._token.cancel()

    def point_at(self, pixel: QPoint | None) -> None:
        """Show the values of a pixel of the picture; None shows nothing."""
        self._token.cancel()
        self._pixel = pixel
        engine = self.session.engine
        if pixel is None or engine is None:
            self._write("")
            return
        screen, now = self.canvas.tiles.screen, self.compare.now
        if (
            now.appearance == Appearance()
            and (screen.picture, screen.monitor) == (None, None)
            and now.mode not in ("removed", "inside")
        ):
            found = [self.canvas.colour_at(pixel, after=after) for after in (False, True)]
            self._tell(pixel, [None if c is None else (c.red(), c.green(), c.blue()) for c in found])
            return
        self._write(f"{pixel.x()}, {pixel.y()}")
        self._token = token = Token()
        plan, other = self.session.plan, self.compare.other
        if plan is None:
            return
        region = (pixel.x(), pixel.y(), pixel.x() + 1, pixel.y() + 1)

        def fetch() -> list:
            sides = (engine.plan(other, check=token.check), plan)
            return [
                from_working(engine.sketch(side, region, check=token.check), dtype=np.uint8)[0, 0] for side in sides
            ]

        self.session.jobs.run(
            fetch,
            lambda found: self._tell(pixel, found),
            priority=Priority.VIEW,
            token=token,
            failed=lambda fault: None,
        )

    def _tell(self, pixel: QPoint, found: list) -> None:
        words = ["–" if values is None else " ".join(str(int(v)) for v in values) for values in found]
        values = f"     {words[0]}  →  {words[1]}" if any(v is not None for v in found) else ""
        self._write(f"{pixel.x()}, {pixel.y()}{values}")

    def _write(self, text: str) -> None:
        if self.canvas.caption != text:
            self.canvas.caption = text
            self.canvas.update()
