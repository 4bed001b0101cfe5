"""Learning the noise of a camera: what each picture gives, drawn over ISO, before it is kept."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeySequence, QPainter, QPen, QPolygonF, QShortcut
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QProgressBar, QVBoxLayout, QWidget

from dustpan.batch.camera_noise import Shot, fitted, keep_shots, measure_shots
from dustpan.core.errors import DustpanError
from dustpan.core.noise.camera import CameraNoise
from dustpan.core.work.cancel import Token
from dustpan.files import READS
from dustpan.ui.session.session import Session
from dustpan.ui.translation import counted, tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.configured import configured

_LEFT, _RIGHT, _TOP, _FOOT = 52, 96, 16, 34  # px around the plot
_DOT = 4.0
_SIZE = (760, 520)
_INVITES = "Choose pictures of one camera at several ISOs: a plain scene, a wall or a test card works best."


class NoisePlot(QWidget):
    """Noise over ISO, both in powers of two: a dot for each picture, a line for what is fitted to them."""

    def __init__(self) -> None:
        super().__init__()
        self.shots: list[Shot] = []
        self.told = CameraNoise((), ())
        self.setMinimumHeight(260)
        self.setAccessibleName(tr("Noise over ISO"))

    def show_shots(self, shots: list[Shot]) -> None:
        """Show the noise of pictures."""
        self.shots, self.told = shots, fitted(shots) if shots else CameraNoise((), ())
        words = [
            tr("ISO {iso}: {luminance:.1f}", iso=iso, luminance=model.luminance)
            for iso, model in zip(self.told.isos, self.told.models)
        ]
        self.setAccessibleDescription(", ".join(words))
        self.update()

    @property
    def _field(self) -> QRectF:
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _FOOT)

    def _place(self, iso: float, level: float) -> QPointF:
        field, isos = self._field, self._isos
        low, high = self._levels
        x = (np.log2(iso) - np.log2(isos[0])) / max(np.log2(isos[1] / isos[0]), 1e-9)
        y = (np.log2(max(level, 1e-3)) - np.log2(low)) / max(np.log2(high / low), 1e-9)
        return QPointF(field.left() + float(x) * field.width(), field.bottom() - float(y) * field.height())

    @property
    def _isos(self) -> tuple[float, float]:
        isos = [shot.iso for shot in self.shots]
        return min(isos) / 1.4, max(isos) * 1.4

    @property
    def _levels(self) -> tuple[float, float]:
        levels = [level for shot in self.shots for level in (shot.model.luminance, shot.model.colour)]
        return max(min(levels) / 1.5, 0.05), max(max(levels) * 1.5, 0.2)

    def paintEvent(self, event):
        """Draw the scales, the dots and the lines."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(8.5))
        if not self.shots:
            painter.setPen(theme.colour("faint"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, tr(_INVITES))
            return
        self._draw_scales(painter)
        self._draw_course(painter, "luminance", theme.colour("bright"), dashed=False)
        self._draw_course(painter, "colour", theme.colour(theme.VERDIGRIS), dashed=True)

    def _draw_scales(self, painter: QPainter) -> None:
        field, low = self._field, self._levels
        painter.setPen(theme.colour("line"))
        painter.drawRect(field)
        for level in (2.0**n for n in range(-4, 9)):
            if low[0] <= level <= low[1]:
                y = self._place(self._isos[0], level).y()
                painter.setPen(theme.colour("line"))
                painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))
                painter.setPen(theme.colour("faint"))
                box = QRectF(0, y - 8, _LEFT - 8, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{level:g}")
        for iso in sorted({shot.iso for shot in self.shots}):
            x = self._place(iso, self._levels[0]).x()
            painter.drawText(QRectF(x - 30, field.bottom() + 4, 60, 14), Qt.AlignmentFlag.AlignCenter, str(iso))
        painter.drawText(
            QRectF(field.left(), field.bottom() + 18, field.width(), 14), Qt.AlignmentFlag.AlignRight, "ISO"
        )

    def _draw_course(self, painter: QPainter, what: str, tint: QColor, *, dashed: bool) -> None:
        pen = QPen(tint, 1.6, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine)
        line = [self._place(iso, getattr(model, what)) for iso, model in zip(self.told.isos, self.told.models)]
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(line))
        painter.setPen(QPen(tint, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush if dashed else tint)
        for shot in self.shots:
            painter.drawEllipse(self._place(shot.iso, getattr(shot.model, what)), _DOT, _DOT)
        box = QRectF(self._field.right() + 8, line[-1].y() - 8, _RIGHT - 8, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, what)


class CameraNoiseWindow(QWidget):
    """A window beside the main one."""

    def __init__(self, session: Session, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Noise of a camera – Dustpan"))
        self.session = session
        self.shots: list[Shot] = []
        self._token = Token()
        self.plot = NoisePlot()
        self.words = configured(QLabel(), wordWrap=True)
        self.note = configured(QLabel(), objectName="faint", wordWrap=True)
        self.bar = configured(QProgressBar(), textVisible=False, maximum=1000)
        self.bar.setAccessibleName(tr("How many pictures are measured"))
        self.bar.hide()
        self.open_button = word_button(
            tr("Measure pictures …"), tr("Choose pictures of one camera at several ISOs (Ctrl+O)")
        )
        self.keep_button = word_button(
            tr("Keep for this camera"), tr("Busy pictures of this camera are measured with its help")
        )
        self.keep_button.setObjectName("accent")
        self.open_button.clicked.connect(self.ask)
        self.keep_button.clicked.connect(self.keep)
        self._lay_out()
        QShortcut(QKeySequence("Ctrl+O"), self).activated.connect(self.ask)
        QShortcut(QKeySequence("Esc"), self).activated.connect(self.close)
        self.resize(*_SIZE)
        self._show()

    def _lay_out(self) -> None:
        foot = QHBoxLayout()
        foot.addWidget(self.open_button)
        foot.addWidget(self.bar, 1)
        foot.addStretch()
        foot.addWidget(self.keep_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(10)
        column.addWidget(self.words)
        column.addWidget(self.plot, 1)
        column.addWidget(self.note)
        column.addLayout(foot)

    def ask(self) -> None:
        """Ask for pictures and measure them."""
        names, _ = QFileDialog.getOpenFileNames(self, tr("Pictures of one camera ({endings})", endings=READS))
        if names:
            self.measure([Path(name) for name in names])

    def measure(self, paths: list[Path]) -> None:
        """Measure pictures, as a task that can be cancelled."""
        task = self.session.tasks.begin("learning noise", tr("Measuring a camera's noise"), alone=False)
        self.bar.show()

        def take(found: tuple[list[Shot], list[str]]) -> None:
            self.bar.hide()
            self.shots = found[0]
            self.note.setText("\n".join(found[1]))
            self._show()

        task.changed.connect(lambda: self.bar.setValue(round(1000 * max(task.share, 0))))
        task.cancelled.connect(self.bar.hide)
        job = partial(measure_shots, paths, token=task.token, progress=task.report)
        self.session.conduct_task(task, job, take)

    def keep(self) -> None:
        """Keep what was measured; pictures opened from now on use it."""
        try:
            file = keep_shots(self.shots)
        except DustpanError as fault:
            self.note.setText(str(fault))
            return
        self.note.setText(
            tr(
                "Kept in {file}. Pictures opened from now on use it where their own noise is hard to measure.",
                file=file,
            )
        )
        self.keep_button.setEnabled(False)

    def _show(self) -> None:
        self.plot.show_shots(self.shots)
        self.keep_button.setEnabled(bool(self.shots))
        camera = self.shots[0].source.metadata.camera if self.shots else ""
        count = len(self.shots)
        pictures = counted("{count} picture", "{count} pictures", count)
        words = (
            tr("{camera}: noise of {pictures} over ISO, in levels of 255.", camera=camera, pictures=pictures)
            if camera
            else tr("Nothing measured yet.")
        )
        self.words.setText(words)
