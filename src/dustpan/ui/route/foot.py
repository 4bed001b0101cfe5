"""Mix, Blending and Where of the chosen step."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dustpan.core.document.params import Param
from dustpan.core.document.route import BLENDS, Step
from dustpan.core.where.words import told
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.sliders import NumberSlider

_MIX = Param(
    "Mix", 100.0, "How much of this step's result is laid over its input.", unit="%", low=0.0, high=100.0, step=1.0
)

_ROOM = 132  # px for the line that describes the Where


class Foot(QWidget):
    """Mix, Blending and Where of the chosen step; they stand below the parameters and never scroll away.

    opened : the parts of the Where are to be seen.
    """

    opened = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.mix = NumberSlider(_MIX)
        self.mix.changing.connect(lambda value: self._set(tr("Mix"), dragging=True, mix=value / 100))
        self.mix.changed.connect(lambda value: self._set(tr("Mix"), mix=value / 100))
        self.mix.nudged.connect(lambda value: self._set(tr("Mix"), nudge=True, mix=value / 100))
        self.blend = Choice(tr("The law by which the result is laid over the input."), tr("Blending"))
        self.blend.addItems([tr(blend.replace("_", " ")) for blend in BLENDS])
        self.blend.activated.connect(lambda index: self._set(tr("Blending"), blend=BLENDS[index]))
        self.where = configured(
            QPushButton(), toolTip=tr("Where on the picture this step works: click to see its parts (W)")
        )
        self.where.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.where.setStyleSheet("text-align: left;")
        self.where.clicked.connect(lambda: self.opened.emit())
        line = configured(QFrame(), frameShape=QFrame.Shape.HLine)
        line.setStyleSheet(f"color: {theme.GREYS.line};")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 8, 0)
        column.setSpacing(3)
        column.addWidget(line)
        column.addWidget(self.mix)
        column.addLayout(labelled_row(tr("Blending"), self.blend))
        column.addLayout(labelled_row(tr("Where"), self.where))

    def show_step(self, step: Step) -> None:
        """Show a step as it stands."""
        self.mix.show_value(step.mix * 100)
        self.blend.setCurrentIndex(BLENDS.index(step.blend))
        line = tr(told(step.where))
        self.where.setText(theme.metrics(9.5).elidedText(line, Qt.TextElideMode.ElideRight, _ROOM))
        self.where.setEnabled(not step.develops)
        self.where.setAccessibleDescription(line)

    def _set(self, what: str, *, dragging: bool = False, nudge: bool = False, **changes: Any) -> None:
        step = self.session.step
        if step is not None:
            label = f"{tr(step.title)}: {what.lower()}"
            self.session.change_step(replace(step, **changes), label, dragging=dragging, nudge=nudge)


def labelled_row(label: str, widget: QWidget) -> QHBoxLayout:
    """Return a row with a label at the left and a widget at the right."""
    row = QHBoxLayout()
    words = QLabel(label)
    words.setBuddy(widget)  # what a list of choices is called: assistive tools read its choice as its name
    row.addWidget(words)
    row.addStretch()
    widget.setMinimumWidth(max(150, widget.minimumSizeHint().width()))
    widget.setAccessibleName(label)
    row.addWidget(widget)
    return row
