"""The strip along the bottom: proofs and readings beside one another, or in turn where the window is narrow."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from dustpan.ui.judging.proof_strip import ProofStrip
from dustpan.ui.judging.readings import Readings
from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured

NARROW = 1100  # px of width, under which one of them is shown


class Strip(QWidget):
    """Hold proofs and readings."""

    def __init__(self, proofs: ProofStrip, readings: Readings, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.proofs, self.readings = proofs, readings
        self._figures = False  # whether the readings are shown where there is room for one
        self.turn = configured(QPushButton(), objectName="quiet")
        self.turn.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.turn.clicked.connect(self._turn)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(proofs, 1)
        row.addWidget(readings)
        row.addStretch()
        row.addWidget(self.turn, 0, Qt.AlignmentFlag.AlignTop)
        self._fit()

    def resizeEvent(self, event):
        """Show both where there is room."""
        super().resizeEvent(event)
        self._fit()

    def _turn(self) -> None:
        self._figures = not self._figures
        self._fit()

    def _fit(self) -> None:
        narrow = self.width() < NARROW
        self.turn.setVisible(narrow)
        self.turn.setText(tr("‹ proofs") if self._figures else tr("readings ›"))
        self.turn.setToolTip(tr("Show the proofs") if self._figures else tr("Show the readings"))
        self.proofs.setVisible(not (narrow and self._figures))
        self.readings.setVisible(not narrow or self._figures)
