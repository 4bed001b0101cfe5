"""Readings: noise over tone before and after, and the figures of what the route did, each with a word."""

from __future__ import annotations

import threading

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from dustpan.core.document.history import Document
from dustpan.core.judge.report import Report, judge, plan_reference, report_on
from dustpan.core.judge.spots import Spot, choose_patches
from dustpan.core.noise.model import TONES
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.judging.proofs import Proofs
from dustpan.ui.judging.reading import Reading, readings_of
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured

_REST = 250  # ms without a change before the survey is made


class Readings(QWidget):
    """Show a report; follows a slider from the proofs, and a survey of patches once it rests."""

    reported = pyqtSignal(object)
    _loaded = pyqtSignal(object)

    def __init__(self, proofs: Proofs, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("readings")
        self.proofs, self.session = proofs, proofs.session
        self.report: Report | None = None
        self._token = Token()
        self._plot = None
        self._loader: threading.Thread | None = None
        self._curves: list = []
        self._spots: tuple[Spot, ...] = ()
        self._surveyed = ""
        self._rest = configured(QTimer(self), singleShot=True, interval=_REST)
        self._rest.timeout.connect(self._survey)
        self._plot_slot = QVBoxLayout()
        self._plot_slot.setContentsMargins(0, 0, 0, 0)
        self._note = configured(QLabel(), objectName="faint")
        self._note.setFont(theme.font(7.5))
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(1)
        self._labels: list[list[QLabel]] = []
        left = QVBoxLayout()
        left.addWidget(configured(QLabel(tr("Noise over tone, levels")), objectName="faint"))
        left.addLayout(self._plot_slot, 1)
        right = QVBoxLayout()
        right.addLayout(self._grid)
        right.addStretch()
        right.addWidget(self._note)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 10, 6)
        row.setSpacing(10)
        row.addLayout(left)
        row.addLayout(right, 1)
        self.setMinimumWidth(372)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        self._loaded.connect(self._make_plot)
        self.session.opened.connect(self._start)
        self.session.planned.connect(self._rest.start)
        self.session.edited.connect(self._pause)
        proofs.complete.connect(self._follow)
        proofs.chosen.connect(self._load)

    # -- the plot ---------------------------------------------------------------------------------------------

    def _load(self) -> None:
        """Load the plotting library beside the first picture, which need not wait for it."""
        if self._loader is not None:
            return

        def load() -> None:
            import pyqtgraph

            self._loaded.emit(pyqtgraph)

        self._loader = threading.Thread(target=load, daemon=True)
        self._loader.start()

    def _make_plot(self, library) -> None:
        # Put together from its parts: the library's whole plot brings menus that take 60 ms to build.
        self._plot = plot = library.GraphicsView(background=theme.GREYS.ground)
        plot.setFixedSize(136, 92)
        for part in (plot, plot.viewport()):
            part.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        plot.setToolTip(tr("Luminance noise at each tone, dark at the left: before the route and after it"))
        layout = library.GraphicsLayout()
        layout.setContentsMargins(2, 4, 4, 2)
        layout.setSpacing(0)
        self._room = library.ViewBox(enableMenu=False, enableMouse=False)
        self._room.disableAutoRange()
        layout.addItem(self._room, 0, 1)
        for side, place in (("left", (0, 0)), ("bottom", (1, 1))):
            axis = library.AxisItem(side)
            axis.setStyle(tickFont=theme.font(7), tickLength=-3, tickTextOffset=2)
            axis.setPen(theme.GREYS.line)
            axis.setTextPen(theme.GREYS.faint)
            axis.linkToView(self._room)
            layout.addItem(axis, *place)
            if side == "left":
                axis.setWidth(20)
            else:
                axis.setTicks([[(0.13, tr("black")), (0.87, tr("white"))], []])
        dashed = library.mkPen(theme.MADDER, width=1.2, style=library.QtCore.Qt.PenStyle.DashLine)
        solid = library.mkPen(theme.VERDIGRIS, width=1.8)
        self._curves = [library.PlotCurveItem(pen=pen, antialias=True) for pen in (dashed, solid)]
        for curve in self._curves:
            self._room.addItem(curve)
        plot.setCentralItem(layout)
        self._plot_slot.addWidget(plot)
        self._show()

    # -- following --------------------------------------------------------------------------------------------

    def _start(self) -> None:
        self._token.cancel()
        self._spots, self.report = (), None
        self._show()

    @property
    def settled(self) -> bool:
        """Whether the survey of the newest plan is shown."""
        plan = self.session.plan
        return plan is not None and self._surveyed == plan.key and not self._rest.isActive()

    def stop(self) -> None:
        """Drop all work under way."""
        self._rest.stop()
        self._token.cancel()

    def _pause(self, dragging: bool) -> None:
        """Leave the threads to the proofs and the view; say that the figures are of what was there before."""
        self._rest.stop()
        self._token.cancel()
        if not dragging:
            self._note.setText(tr("measuring …"))

    def _follow(self) -> None:
        """Take figures from the proofs as they are: quick, and good enough while a slider moves."""
        plan, proofs, engine = self.session.plan, self.proofs, self.session.engine
        shots = [proofs.shots[proof] for proof in proofs.items if proof in proofs.shots]
        if plan is None or engine is None or len(shots) < len(proofs.items) or not shots:
            return
        self._token.cancel()
        self._token = token = Token()
        regions, pairs = [shot.judged.region for shot in shots], [shot.judged.pair for shot in shots]

        def make() -> Report:
            reference = plan_reference(engine, plan, check=token.check)
            return report_on(engine, plan, reference, regions, pairs, check=token.check)

        self.session.jobs.run(make, self._take, priority=Priority.VIEW, token=token)
        self._rest.start()

    def _survey(self) -> None:
        """Take figures from patches over the whole picture."""
        engine, plan = self.session.engine, self.session.plan
        if engine is None or plan is None:
            return
        self._token.cancel()
        self._token = token = Token()
        spots, original = self._spots, self.session.original

        def then(report: Report) -> None:
            self._spots = tuple(report.spots)
            self._surveyed = plan.key
            self._take(report)
            self.reported.emit(report)

        self.session.jobs.run(
            lambda: _make(engine, plan, original, spots, token), then, priority=Priority.AROUND, token=token
        )

    def _take(self, report: Report) -> None:
        self.report = report
        self._show()

    # -- showing ----------------------------------------------------------------------------------------------

    def _show(self) -> None:
        report = self.report
        lines = readings_of(report) if report else []
        for number in range(max(len(lines), len(self._labels))):
            if number == len(self._labels):
                self._add_line(number)
            self._show_line(self._labels[number], lines[number] if number < len(lines) else None)
        if report is None:
            self._note.setText(
                tr("Open a picture to see its figures.") if self.session.engine is None else tr("measuring …")
            )
        else:
            from_proofs = not report.spots
            count = len(report.pairs)
            self._note.setText(
                tr("from {count} proofs" if from_proofs else "from {count} patches over the picture", count=count)
            )
        if self._curves:
            both = [np.asarray(v) for v in ((report.noise_before, report.noise_after) if report else ((), ()))]
            for curve, values in zip(self._curves, both, strict=True):
                curve.setData(TONES[: len(values)], values)
            top = max((float(values.max(initial=0)) for values in both), default=0.0)
            self._room.setRange(xRange=(0, 1), yRange=(0, max(top, 1.0)), padding=0.06)

    def _add_line(self, number: int) -> None:
        labels = [configured(QLabel(), objectName="faint"), QLabel(), QLabel()]
        for column, label in enumerate(labels):
            label.setFont(theme.font(8.5))
            self._grid.addWidget(label, number, column)
        self._labels.append(labels)

    def _show_line(self, labels: list[QLabel], line: Reading | None) -> None:
        for label, text in zip(labels, (line.name, line.figure, line.word) if line else ("", "", ""), strict=True):
            label.setText(text)
            label.setToolTip(line.tip if line else "")
        labels[2].setStyleSheet(f"color: {theme.MADDER_WORDS if line and line.harm else theme.VERDIGRIS};")


def _make(engine: Engine, plan: Plan, original: Document, spots: tuple[Spot, ...], token: Token) -> Report:
    before = engine.plan(original, check=token.check)
    report = judge(engine, plan, before, spots or choose_patches(before.base), check=token.check)
    engine.search_all(plan, check=token.check)
    return report
