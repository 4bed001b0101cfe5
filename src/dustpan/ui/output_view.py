"""The picture as it will be looked at: at its output size, pixel for pixel, with its last sharpening."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from dustpan.core.judge.at_output import AtOutput, make_output
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.core.steps.finding import Finding
from dustpan.ui.finish_fields import words_for
from dustpan.ui.judging.chip import Chip
from dustpan.ui.picture.display import Display
from dustpan.ui.picture.screen import Appearance
from dustpan.ui.pixel_view import PixelView
from dustpan.ui.session.session import Session
from dustpan.ui.session.tasks import Task
from dustpan.ui.translation import tr
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard


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
