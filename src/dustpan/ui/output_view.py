"""The picture as it will be looked at: at its output size, pixel for pixel, with its last sharpening."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dustpan.core.judge.at_output import AtOutput, make_output
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.core.steps.finding import Finding
from dustpan.ui.finish_fields import words_for
from dustpan.ui.judging.findings import Chip
from dustpan.ui.picture.display import Display
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.session.session import Session
from dustpan.ui.session.tasks import Task
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard

_RING = 9  # px, radius of a mark


class PixelView(QWidget):
    """Show an image pixel for pixel; a drag moves it."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.image: QImage | None = None
        self.marks: Sequence[tuple[int, int]] = ()
        self.surround = "dark"
        self._corner = QPointF()
        self._held: QPoint | None = None
        self.setMinimumSize(200, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName("The picture at its output size")

    def show_image(self, image: QImage | None, *, centred: bool = False) -> None:
        """Show an image where the one before it was, or its middle."""
        self.image = image
        if image is not None and centred:
            self._corner = QPointF((image.width() - self._wide) / 2, (image.height() - self._high) / 2)
        self._keep_inside()
        self.update()

    def show_point(self, x: int, y: int) -> None:
        """Bring a point of the image to the middle."""
        self._corner = QPointF(x - self._wide / 2, y - self._high / 2)
        self._keep_inside()
        self.update()

    @property
    def _wide(self) -> float:
        return self.width() * self.devicePixelRatioF()

    @property
    def _high(self) -> float:
        return self.height() * self.devicePixelRatioF()

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
        """Draw the image, one of its pixels on one of the screen's, and the marks."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.SURROUNDS[self.surround]))
        if self.image is None:
            return
        ratio = self.devicePixelRatioF()
        painter.scale(1 / ratio, 1 / ratio)
        corner = QPointF(round(self._corner.x()), round(self._corner.y()))
        painter.drawImage(QRectF(-corner.x(), -corner.y(), self.image.width(), self.image.height()), self.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour(theme.MADDER), 2 * ratio))
        for x, y in self.marks:
            painter.drawEllipse(QPointF(x + 0.5, y + 0.5) - corner, _RING * ratio, _RING * ratio)

    def mousePressEvent(self, event):
        """Take hold of the picture."""
        self._held = event.position().toPoint()
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event):
        """Move it."""
        if self._held is None:
            return
        at = event.position().toPoint()
        self._corner -= QPointF(at - self._held) * self.devicePixelRatioF()
        self._held = at
        self._keep_inside()
        self.update()

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
        self.plain = _button("Hold: without it", "Press and hold to see it without the last sharpening")
        self.plain.pressed.connect(lambda: self._show(plain=True))
        self.plain.released.connect(lambda: self._show(plain=False))
        back = _button("Back", "Go back to the picture (Esc)")
        back.clicked.connect(self.left)
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 8)
        row.addWidget(back)
        row.addSpacing(10)
        row.addWidget(self.title)
        row.addSpacing(10)
        row.addLayout(self._harm)
        row.addStretch()
        row.addWidget(self.plain)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(row)
        whole.addWidget(self.view, 1)
        display.changed.connect(lambda: self._show(plain=False))

    def make(self, finish: Finish) -> None:
        """Make the output of the route as it stands, as a task that can be cancelled, and show it."""
        session, engine = self.session, self.session.engine
        if engine is None:
            return
        self.forget()
        self.finish, document = finish, session.document
        self._task = task = session.tasks.begin("output", "Making the picture at its output size")
        task.cancelled.connect(lambda: self.left.emit() if self._task is task else None)

        def work() -> AtOutput:
            plan = engine.plan(document, check=task.token.check)
            return make_output(engine, plan, finish, pool=session.jobs.pool, token=task.token, progress=task.report)

        self.title.setText("Making the picture at its output size …")
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
        self.title.setText(f"{width} × {height} px · {words_for(self.finish.viewing)}")
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
            self._harm.addWidget(configured(QLabel("no harm at this size"), objectName="kept"))
        for finding in found:
            chip = Chip(finding, 1.0)
            chip.marked.connect(partial(self._mark, finding))
            self._harm.addWidget(chip)

    def _mark(self, finding: Finding, on: bool) -> None:
        self.view.marks = finding.points if on else ()
        if on and finding.points:
            self.view.show_point(*finding.points[0])
        self.view.update()


def _button(words: str, tip: str) -> QPushButton:
    button = configured(QPushButton(words), toolTip=tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button
