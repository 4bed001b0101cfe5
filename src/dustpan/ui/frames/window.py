"""The workspace for frames: look at each, see which are good, try methods on a small region, then make one picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from dustpan.batch.series import Result
from dustpan.core.document.params import Param
from dustpan.core.frames.choice import FIGURES
from dustpan.core.frames.combining import METHODS, Method
from dustpan.core.frames.registration import ALIGNMENTS
from dustpan.files import READS
from dustpan.ui.frames.picking import TargetPicking
from dustpan.ui.frames.plot import QualityPlot
from dustpan.ui.frames.tries import Tries
from dustpan.ui.frames.work import FramesWork
from dustpan.ui.picture.reduced import image_from
from dustpan.ui.pixel_view import PixelView
from dustpan.ui.route.foot import labelled_row
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.task_bar import TaskBar
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.panel import make_panel
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.widgets.text import shown_name

_BLINK = 400  # ms that each frame is shown for
_SIDE = 292  # px of the column of settings
_TRY_PAUSE = 250  # ms without a change before the region is tried anew
_KINDS = (("dark", "Darks"), ("flat", "Flats"), ("bias", "Bias"))
_HELP = {
    "dark": "Frames of the same exposure with the cap on: they take hot pixels and glow.",
    "flat": "Frames of an even surface: they take dark corners and dust.",
    "bias": "Frames of the shortest exposure with the cap on: with them darks fit other exposures.",
}
_ALIGN = {"none": "not at all", "shift": "by shift", "rotate": "by shift and rotation", "affine": "by an affine map"}
_METHOD = {
    "average": "average",
    "median": "median",
    "sigma_clip": "sigma clip",
    "winsorised": "winsorised clip",
    "percentile": "middle ranks",
}
_KAPPA = Param("Outliers beyond", 2.5, "Deviations beyond which a value is left out.", "sigma", 1.0, 6.0, 0.1)
_BAND = Param("Ranks kept", 50.0, "Share of the ranks, around the middle, that is averaged.", "%", 10.0, 100.0, 5.0)
_BEST = Param("Best frames", 1, "How many of the best frames take part, by the figure that is plotted.", "", 1, 2, 1)

_FOLLOW = (
    "Keep what moves against the stars, such as a comet, in its place: click it in the first and in the last frame"
)


class FramesWindow(QWidget):
    """A window of its own over the main one.

    Signals
    -------
    made(result) : the frames have become one picture, which is to be opened.
    """

    made = pyqtSignal(object)

    def __init__(self, jobs: Jobs, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Frames – Dustpan"))
        self.work = FramesWork(jobs, self)
        self.current = 0  # index of the frame that is looked at
        self.middle: tuple[int, int] | None = None  # of the region that is tried
        self._make_parts()
        self.picking = TargetPicking(self.work, self.follow, self.registered, self.look_at, self._ask)
        self._lay_out()
        self._connect()
        self.resize(1180, 760)
        self.refresh()

    # -- building ---------------------------------------------------------------------------------------------

    def _make_parts(self) -> None:
        self.add_button = word_button(tr("Add frames …"), tr("Take more files into the series (Ctrl+O)"))
        self.name = QLabel()
        self.bar = TaskBar(self.work.tasks)
        self.combine_button = configured(
            word_button(tr("Combine"), tr("Make one picture and open it")), objectName="accent"
        )
        self.view = PixelView()
        self.view.setAccessibleName(tr("The frame"))
        self.back_button = word_button("‹", tr("The frame before (Left)"))
        self.next_button = word_button("›", tr("The next frame (Right)"))
        self.play = configured(word_button(tr("Play"), tr("Show one frame after the other (P)")), checkable=True)
        self.registered = configured(QCheckBox(tr("registered")), checked=True)
        self.registered.setToolTip(tr("Show frames as they lie over the reference; off, as they came (G)"))
        self.rejected = configured(
            QCheckBox(tr("rejected")), toolTip=tr("Show where values were left out, and how many (R)")
        )
        self.reference_button = word_button(tr("Make it the reference"), tr("Register all frames against this one"))
        self.plot = QualityPlot()
        self.figure = Choice(
            tr("The figure that is plotted, and that the line and the best frames go by"), tr("Figure")
        )
        self.figure.addItems([tr(figure.name) for figure in FIGURES])
        self.best = NumberSlider(_BEST)
        self.cost = configured(QLabel(), objectName="faint", wordWrap=True)
        self.tries = Tries()
        self.align = Choice(tr("How frames may lie over the reference"), tr("Register"))
        self.align.addItems([tr(_ALIGN[how]) for how in ALIGNMENTS])
        self.apart = configured(
            QCheckBox(tr("channels apart")), toolTip=tr("Register red and blue apart: air shifts them")
        )
        self.follow = configured(word_button(tr("Follow a target …"), tr(_FOLLOW)), checkable=True)
        self.method = Choice(tr("How the values of a pixel become one"), tr("Combined by"))
        self.method.addItems([tr(_METHOD[name]) for name in METHODS])
        self.kappa, self.band = NumberSlider(_KAPPA), NumberSlider(_BAND)
        self.calibration = {kind: word_button(tr("none …"), tr(_HELP[kind])) for kind, _ in _KINDS}
        self.advice = configured(QLabel(), objectName="faint", wordWrap=True)
        self.message = configured(QLabel(), wordWrap=True)
        self.message.setObjectName("harm")
        self.message.hide()
        self._blink = configured(QTimer(self), interval=_BLINK)
        self._pause = configured(QTimer(self), singleShot=True, interval=_TRY_PAUSE)

    def _lay_out(self) -> None:
        head, under = QHBoxLayout(), QHBoxLayout()
        head.addWidget(self.add_button)
        head.addWidget(self.name)
        head.addStretch()
        head.addWidget(self.bar)
        head.addWidget(self.combine_button)
        for widget in (self.back_button, self.play, self.next_button, self.registered, self.rejected):
            under.addWidget(widget)
        under.addStretch()
        under.addWidget(self.reference_button)
        left = QVBoxLayout()
        left.addWidget(self.view, 1)
        left.addLayout(under)
        middle = QHBoxLayout()
        middle.addLayout(left, 1)
        middle.addWidget(self._settings())
        foot = QHBoxLayout()
        foot.addWidget(self.plot, 5)
        foot.addWidget(self.tries, 6)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 12)
        whole.setSpacing(8)
        whole.addLayout(head)
        whole.addWidget(self.message)
        whole.addLayout(middle, 1)
        whole.addLayout(foot)

    def _settings(self) -> QWidget:
        side, column = make_panel(width=_SIDE, spacing=6)
        for kind, label in _KINDS:
            column.addLayout(labelled_row(tr(label), self.calibration[kind]))
        column.addLayout(labelled_row(tr("Register"), self.align))
        column.addWidget(self.apart)
        column.addWidget(self.follow)
        column.addLayout(labelled_row(tr("Figure"), self.figure))
        column.addWidget(self.best)
        column.addWidget(self.cost)
        column.addLayout(labelled_row(tr("Combined by"), self.method))
        column.addWidget(self.kappa)
        column.addWidget(self.band)
        column.addStretch()
        column.addWidget(self.advice)
        return side

    def _connect(self) -> None:
        work = self.work
        self.add_button.clicked.connect(self.ask_frames)
        self.combine_button.clicked.connect(lambda: work.combine(self.made.emit))
        self.back_button.clicked.connect(lambda: self._step(-1))
        self.next_button.clicked.connect(lambda: self._step(1))
        self.play.toggled.connect(lambda on: self._blink.start() if on else self._blink.stop())
        self._blink.timeout.connect(lambda: self._step(1, all_frames=False))
        self.registered.toggled.connect(lambda _: self._show_frame())
        self.rejected.clicked.connect(self._turn_rejected)
        self.reference_button.clicked.connect(lambda: work.set_reference(self.current))
        self.plot.picked.connect(self.look_at)
        self.plot.turned.connect(lambda index: work.choose(work.choice.turned(index, work.qualities)))
        self.plot.limited.connect(lambda value, dragging: work.choose(replace(work.choice, limit=value)))
        self.figure.activated.connect(lambda index: work.choose(replace(work.choice, figure=index, limit=float("inf"))))
        for signal in (self.best.changing, self.best.changed, self.best.nudged):
            signal.connect(lambda count: work.choose(work.choice.keeping(round(count), work.qualities)))
        self.align.activated.connect(lambda index: work.set_alignment(ALIGNMENTS[index]))
        self.apart.toggled.connect(work.set_apart)
        self.follow.clicked.connect(self.picking.turn)
        self.method.activated.connect(lambda index: self._set_method(name=METHODS[index]))
        for slider, key in ((self.kappa, "kappa"), (self.band, "band")):
            for signal in (slider.changed, slider.nudged):
                signal.connect(partial(self._set_value, key))
        self.tries.chosen.connect(work.set_method)
        for kind, button in self.calibration.items():
            button.clicked.connect(partial(self._ask_calibration, kind))
        work.changed.connect(self.refresh)
        work.placed.connect(self._begin)
        work.tried.connect(self.tries.show_tries)
        work.told.connect(self._tell)
        self._pause.timeout.connect(self._try)
        keys: dict[str, Callable[[], object]] = {
            "Ctrl+O": self.ask_frames,
            "Left": lambda: self._step(-1),
            "Right": lambda: self._step(1),
            "P": self.play.toggle,
            "G": self.registered.toggle,
            "R": self.rejected.click,
            "Space": lambda: self.plot.turned.emit(self.current),
            "Esc": self._escape,
        }
        for key, act in keys.items():
            QShortcut(QKeySequence(key), self).activated.connect(act)

    # -- frames -----------------------------------------------------------------------------------------------

    def ask_frames(self) -> None:
        """Ask for files, and take them into the series."""
        names, _ = QFileDialog.getOpenFileNames(self, tr("Frames ({endings})", endings=READS))
        if names:
            self.work.add([Path(name) for name in names])

    def _ask_calibration(self, kind: str) -> None:
        if getattr(self.work.series, kind):
            self.work.set_calibration(kind, ())
            return
        names, _ = QFileDialog.getOpenFileNames(self, tr(dict(_KINDS)[kind]))
        if names:
            self.work.set_calibration(kind, [Path(name) for name in names])

    def _begin(self) -> None:
        """Look at frames that are placed anew."""
        height, width, _ = self.work.stack.shape if self.work.stack else (0, 0, 0)
        if self.middle is None or self.middle[0] >= width or self.middle[1] >= height:
            self.middle = width // 2, height // 3
        self.rejected.setChecked(False)
        self.look_at(0)
        self.view.show_whole()

    def look_at(self, index: int) -> None:
        """Show a frame."""
        self.current = index
        self._show_frame()
        self.refresh()

    def _step(self, by: int, *, all_frames: bool = True) -> None:
        """Go to another frame; play goes through those that take part."""
        shown = [n for n in self.work.order if all_frames or n in self.work.kept]
        if shown:
            at = shown.index(self.current) if self.current in shown else 0
            self.look_at(shown[(at + by) % len(shown)])

    def _show_frame(self) -> None:
        frames = self.work.frames
        if self.current < len(frames) and not self.rejected.isChecked():
            frame = frames[self.current]
            self.view.show_image(image_from(frame.preview if self.registered.isChecked() else frame.loose))

    def _turn_rejected(self, on: bool) -> None:
        """Show where values are left out; the whole is combined for it."""
        if on:
            self.work.combine(self._show_rejected)
        else:
            self._show_frame()

    def _show_rejected(self, result: Result) -> None:
        if self.rejected.isChecked():
            share = np.sqrt(np.clip(result.rejected * 2, 0, 1))
            self.view.show_image(image_from(np.repeat((share * 255).astype(np.uint8)[..., None], 3, axis=2)))
            self.view.show_whole()

    def _place_at(self, event) -> tuple[int, int] | None:
        """Return the pixel of the reference under the pointer, or None."""
        at = self.view.mapFrom(self, event.position().toPoint())
        place = self.view.pixel_at(at) if self.view.rect().contains(at) else None
        if place is None or self.work.stack is None:
            return None
        height, width, _ = self.work.stack.shape
        scale = width / max(self.view.image.width(), 1)
        return min(round(place[0] * scale), width - 1), min(round(place[1] * scale), height - 1)

    def mouseReleaseEvent(self, event):
        """Take a click for a place of the target that is to be followed."""
        if (place := self._place_at(event)) is not None:
            self.picking.take(place)

    def mouseDoubleClickEvent(self, event):
        """Try the methods around a double-clicked place of the frame."""
        if (place := self._place_at(event)) is not None and not self.picking.under_way:
            self.middle = place
            self._pause.start()

    def _tell(self, text: str) -> None:
        """Show a message until frames are placed anew."""
        self.message.setStyleSheet("")
        before = self.message.text()
        self.message.setText(f"{before}\n{text}" if before and text else text)
        self.message.setVisible(bool(text))

    def _ask(self, text: str) -> None:
        """Show what is to be done next."""
        self.message.setStyleSheet(f"QLabel {{ border-color: {theme.VERDIGRIS}; }}")
        self.message.setText(text)
        self.message.setVisible(bool(text))

    def _try(self) -> None:
        if self.middle is not None:
            self.work.try_region(self.middle)

    # -- settings ---------------------------------------------------------------------------------------------

    def _set_method(self, **changes) -> None:
        self.work.set_method(replace(self.work.series.method, **changes))

    def _set_value(self, key: str, value: float) -> None:
        if key == "kappa":
            self._set_method(kappa=value)
        else:
            self._set_method(low=0.5 - value / 200, high=0.5 + value / 200)

    def refresh(self) -> None:
        """Show everything as it stands."""
        work, series = self.work, self.work.series
        count = len(series.frames)
        self.name.setText(self._name())
        method: Method = series.method
        self.method.setCurrentIndex(METHODS.index(method.name))
        self.align.setCurrentIndex(ALIGNMENTS.index(series.align))
        self.picking.refresh()
        self.figure.setCurrentIndex(work.choice.figure)
        self.kappa.setVisible(method.name in ("sigma_clip", "winsorised"))
        self.band.setVisible(method.name == "percentile")
        self.kappa.show_value(method.kappa)
        self.band.show_value(100 * (method.high - method.low))
        for kind, _ in _KINDS:
            given = len(getattr(series, kind))
            self.calibration[kind].setText(f"{given} ×" if given else tr("none …"))
        placed = bool(work.frames)
        for widget in (self.combine_button, self.reference_button, self.play, self.back_button, self.next_button):
            widget.setEnabled(placed)
        self.best.setVisible(len(work.frames) > 1)
        if not placed:
            self.cost.setText("" if count else tr("Add the exposures of one subject, and they are registered."))
            return
        kept = work.kept
        self.best.described = replace(_BEST, high=len(work.frames), default=len(work.frames))
        self.best.show_value(len(kept))
        louder, all_of_them = 100 * (work.cost - 1), len(kept) == len(work.frames)
        cost = tr(
            "{count} of {all} frames stay: noise {louder:.0f} % higher than with all.",
            count=len(kept),
            all=len(work.frames),
            louder=louder,
        )
        self.cost.setText(tr("All {count} frames stay.", count=len(kept)) if all_of_them else cost)
        self.combine_button.setText(tr("Combine {count}", count=len(kept)))
        self.plot.show_frames(work.qualities, work.order, work.choice, self.current)
        self.tries.show_method(method)
        self.advice.setText("\n".join(work.advice))
        self.reference_button.setEnabled(self.current != 0)
        if not work.tasks.running:
            self._pause.start()

    def _name(self) -> str:
        frames = self.work.frames
        if self.current >= len(frames):
            count = len(self.work.series.frames)
            return tr("{count} frames", count=count) if count else ""
        frame = frames[self.current]
        x, y = frame.quality.shift
        state = (
            tr("the reference")
            if self.current == 0
            else tr("{x:+.1f}, {y:+.1f} px, {angle:+.2f}°", x=x, y=y, angle=frame.quality.angle)
        )
        return f"{shown_name(frame.path)}   ·   {state}"

    def _escape(self) -> None:
        if self.picking.under_way:
            self.picking.end()
        elif not self.bar.cancel_newest():
            self.close()

    def showEvent(self, event):
        """Take up the series of before, whose placed frames went when the window was closed."""
        super().showEvent(event)
        if self.work.stack is None and not self.work.tasks.running:
            self.work.place()

    def closeEvent(self, event):
        """Stop what is under way and drop the placed frames."""
        self.play.setChecked(False)
        self.work.tasks.cancel_all()
        self.work.close()
        super().closeEvent(event)

    def sizeHint(self) -> QSize:
        """Return the size it opens at."""
        return QSize(1180, 760)
