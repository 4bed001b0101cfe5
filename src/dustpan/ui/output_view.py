"""The picture as it will be looked at: at its output size, pixel for pixel, with its last sharpening."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeySequence, QPainter, QPen, QShortcut
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from dustpan.core.judge.at_output import AtOutput, make_output
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.core.steps.finding import Finding
from dustpan.ui.finish_fields import words_for
from dustpan.ui.judging.findings import Chip
from dustpan.ui.picture.display import Display
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.session.session import Session
from dustpan.ui.session.tasks import Task
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard

_RING = 9  # px, radius of a mark
_STOPS = (1.0, 2.0, 3.0, 4.0, 8.0)  # screen pixels for each of the image's


class PixelView(QFrame):
    """Show an image pixel for pixel, enlarged or whole; a drag moves it.

    Signals
    -------
    zoomed(zoom) : screen pixels for each of the image's.
    """

    zoomed = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.image: QImage | None = None
        self.marks: Sequence[tuple[int, int]] = ()
        self.surround = "dark"
        self.zoom = 1.0
        self._corner = QPointF()  # of what is seen, in pixels of the image
        self._held: QPoint | None = None
        self._turned = 0  # of the wheel, that no step was made of yet
        self.setMinimumSize(200, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(tr("The picture at its output size"))

    def show_image(self, image: QImage | None, *, centred: bool = False) -> None:
        """Show an image where the one before it was, or its middle."""
        self.image = image
        if image is not None and centred:
            self.set_zoom(1.0)
            self._corner = QPointF((image.width() - self._wide) / 2, (image.height() - self._high) / 2)
        self._keep_inside()
        self.update()

    def show_whole(self) -> None:
        """Show all of the image."""
        self.set_zoom(self._whole)

    def pan(self, across: int, down: int) -> None:
        """Move the view over the image, px of the screen."""
        self._corner += QPointF(across, down) * (self.devicePixelRatioF() / self.zoom)
        self._keep_inside()
        self.update()

    def show_point(self, x: int, y: int) -> None:
        """Bring a point of the image to the middle."""
        self._corner = QPointF(x - self._wide / 2, y - self._high / 2)
        self._keep_inside()
        self.update()

    def set_zoom(self, zoom: float, at: QPointF | None = None) -> None:
        """Show it at another zoom; what lies at a place of the widget, or in its middle, stays there."""
        at = at or QPointF(self.width() / 2, self.height() / 2)
        ratio = self.devicePixelRatioF()
        under = self._drawn() / self.zoom + at * (ratio / self.zoom)
        self.zoom = zoom
        self._corner = under - at * (ratio / zoom)
        self._keep_inside()
        self.zoomed.emit(zoom)
        self.update()

    def pixel_at(self, at: QPoint) -> tuple[int, int] | None:
        """Return the pixel of the image under a place of the widget, or None beside it."""
        if self.image is None:
            return None
        place = (self._drawn() + QPointF(at) * self.devicePixelRatioF()) / self.zoom
        x, y = int(np.floor(place.x())), int(np.floor(place.y()))
        return (x, y) if 0 <= x < self.image.width() and 0 <= y < self.image.height() else None

    def _drawn(self) -> QPointF:
        """Return the corner of what is seen, in whole pixels of the enlarged image."""
        return QPointF(round(self._corner.x() * self.zoom), round(self._corner.y() * self.zoom))

    def step_zoom(self, steps: int, at: QPointF | None = None) -> None:
        """Go to the next larger zoom, or the next smaller one; the smallest shows the whole."""
        stops = [self._whole, *(stop for stop in _STOPS if stop > self._whole)]
        nearest = min(range(len(stops)), key=lambda n: abs(np.log(stops[n] / self.zoom)))
        self.set_zoom(stops[min(max(nearest + steps, 0), len(stops) - 1)], at)

    @property
    def _whole(self) -> float:
        """The zoom at which all of the image is seen; never over 1."""
        if self.image is None:
            return 1.0
        ratio = self.devicePixelRatioF()
        return min(self.width() * ratio / self.image.width(), self.height() * ratio / self.image.height(), 1.0)

    @property
    def _wide(self) -> float:
        return self.width() * self.devicePixelRatioF() / self.zoom

    @property
    def _high(self) -> float:
        return self.height() * self.devicePixelRatioF() / self.zoom

    def _keep_inside(self) -> None:
        if self.image is None:
            return
        room = [
            (self.image.width() - self._wide, self._corner.x()),
            (self.image.height() - self._high, self._corner.y()),
        ]
        self._corner = QPointF(*(more / 2 if more <= 0 else min(max(at, 0.0), more) for more, at in room))

    def resizeEvent(self, event):
        """Keep the picture in view."""
        self._keep_inside()

    def paintEvent(self, event):
        """Draw the image, one of its pixels on whole ones of the screen from 100 % on, and the marks."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.SURROUNDS[self.surround]))
        if self.image is None:
            return
        ratio, zoom = self.devicePixelRatioF(), self.zoom
        painter.scale(1 / ratio, 1 / ratio)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 1)
        corner = self._drawn()
        size = QSizeF(self.image.width() * zoom, self.image.height() * zoom)
        painter.drawImage(QRectF(-corner, size), self.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour(theme.MADDER), 2 * ratio))
        for x, y in self.marks:
            painter.drawEllipse(QPointF(x + 0.5, y + 0.5) * zoom - corner, _RING * ratio, _RING * ratio)

    def mousePressEvent(self, event):
        """Take hold of the picture."""
        self._held = event.position().toPoint()
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event):
        """Move it."""
        if self._held is None:
            return
        at = event.position().toPoint()
        self._corner -= QPointF(at - self._held) * (self.devicePixelRatioF() / self.zoom)
        self._held = at
        self._keep_inside()
        self.update()

    def wheelEvent(self, event):
        """Go to the next zoom, at the pointer."""
        self._turned += event.angleDelta().y()
        steps = int(self._turned / 120)
        self._turned -= 120 * steps
        if steps:
            self.step_zoom(steps, event.position())

    def mouseReleaseEvent(self, event):
        """Let it go."""
        self._held = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)


class OutputView(QWidget):
    """The page that shows an output before it is exported.

    Signals
    -------
    left : the user goes back to the picture.
    """

    left = pyqtSignal()

    def __init__(self, session: Session, display: Display, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.display = session, display
        self.finish = NO_FINISH
        self.made: AtOutput | None = None
        self._task: Task | None = None  # that makes it
        self.view = PixelView()
        self.title = QLabel()
        self._harm = QHBoxLayout()
        self._harm.setSpacing(6)
        self.percent = word_button("100 %", tr("Zoom: click for 100 %; the wheel, + and - go farther in or out"))
        self.percent.clicked.connect(lambda: self.view.set_zoom(1.0))
        self.view.zoomed.connect(lambda zoom: self.percent.setText(f"{100 * zoom:.0f} %"))
        for keys, steps in (("+", 1), ("=", 1), ("-", -1)):
            shortcut = QShortcut(QKeySequence(keys), self)  # works while this page is seen
            shortcut.activated.connect(partial(self.view.step_zoom, steps))
        self.plain = word_button(tr("Hold: without it"), tr("Press and hold to see it without the last sharpening (H)"))
        self.plain.pressed.connect(lambda: self._show(plain=True))
        self.plain.released.connect(lambda: self._show(plain=False))
        back = word_button(tr("Back"), tr("Go back to the picture (Esc)"))
        back.clicked.connect(self.left)
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 8)
        row.addWidget(back)
        row.addSpacing(10)
        row.addWidget(self.title)
        row.addSpacing(10)
        row.addLayout(self._harm)
        row.addStretch()
        row.addWidget(self.percent)
        row.addSpacing(8)
        row.addWidget(self.plain)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(row)
        whole.addWidget(self.view, 1)
        display.changed.connect(lambda: self._show(plain=False))

    def hold(self, on: bool) -> None:
        """Show the output without its last sharpening while on."""
        self._show(plain=on)

    def make(self, finish: Finish) -> None:
        """Make the output of the route as it stands, as a task that can be cancelled, and show it."""
        session, engine = self.session, self.session.engine
        if engine is None:
            return
        self.forget()
        self.finish, document = finish, session.document
        self._task = task = session.tasks.begin("output", tr("Making the picture at its output size"))
        task.cancelled.connect(lambda: self.left.emit() if self._task is task else None)

        def work() -> AtOutput:
            plan = engine.plan(document, check=task.token.check)
            return make_output(engine, plan, finish, pool=session.jobs.pool, token=task.token, progress=task.report)

        self.title.setText(tr("Making the picture at its output size …"))
        session.conduct_task(task, work, self._take)

    def forget(self) -> None:
        """Let the pixels go, and give up making them."""
        task, self._task = self._task, None
        if task is not None:
            task.cancel()
        self.made, self.view.marks = None, ()
        self.view.show_image(None)
        self._list_harm(())
        self.plain.setEnabled(False)

    def _take(self, made: AtOutput) -> None:
        self.made = made
        height, width = made.pixels.shape[:2]
        self.title.setText(
            tr("{width} × {height} px · {finish}", width=width, height=height, finish=words_for(self.finish.viewing))
        )
        self.plain.setEnabled(self.finish.viewing is not None)
        self.view.surround = self.display.canvas.surround
        self._list_harm(made.harm)
        self._show(plain=False, centred=True)

    def _show(self, *, plain: bool, centred: bool = False) -> None:
        if self.made is None:
            return
        screen = self.display.sides[0].screen
        pixels = self.made.plain if plain else self.made.pixels
        self.view.show_image(screen.show(pixels, Appearance()), centred=centred)

    def _list_harm(self, found: Sequence[Finding]) -> None:
        while (item := self._harm.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                discard(old)
        if self.made is not None and not found:
            self._harm.addWidget(configured(QLabel(tr("no harm at this size")), objectName="kept"))
        for finding in found:
            chip = Chip(finding, 1.0)
            chip.marked.connect(partial(self._mark, finding))
            self._harm.addWidget(chip)

    def _mark(self, finding: Finding, on: bool) -> None:
        self.view.marks = finding.points if on else ()
        if on and finding.points:
            self.view.show_point(*finding.points[0])
        self.view.update()
