"""Mix, Blending and Where of the chosen step."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from dustpan.core.document.params import Param
from dustpan.core.document.route import BLENDS, Part, Step, Where
from dustpan.core.where import part_kinds
from dustpan.ui.session.session import Session
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.sliders import NumberSlider

_MIX = Param(
    "Mix", 100.0, "How much of this step's result is laid over its input.", unit="%", low=0.0, high=100.0, step=1.0
)


class Foot(QWidget):
    """Mix, Blending and Where of the chosen step; they stand below the parameters and never scroll away."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.mix = NumberSlider(_MIX)
        self.mix.changing.connect(lambda value: self._set("Mix", dragging=True, mix=value / 100))
        self.mix.changed.connect(lambda value: self._set("Mix", mix=value / 100))
        self.mix.nudged.connect(lambda value: self._set("Mix", nudge=True, mix=value / 100))
        self.blend = Choice("The law by which the result is laid over the input.", "Blending")
        self.blend.addItems([blend.replace("_", " ") for blend in BLENDS])
        self.blend.activated.connect(lambda index: self._set("Blending", blend=BLENDS[index]))
        self.where = Choice("Where on the picture this step works.", "Where")
        self.where.addItem("everywhere", None)
        for kind in part_kinds().values():
            self.where.addItem(f"in an {kind.label.lower()}", f"in {kind.kind}")
            self.where.addItem(f"outside an {kind.label.lower()}", f"outside {kind.kind}")
        self.where.activated.connect(lambda index: self.choose_where(self.where.itemData(index)))
        line = configured(QFrame(), frameShape=QFrame.Shape.HLine)
        line.setStyleSheet(f"color: {theme.GREYS.line};")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 8, 0)
        column.setSpacing(3)
        column.addWidget(line)
        column.addWidget(self.mix)
        column.addLayout(labelled_row("Blending", self.blend))
        column.addLayout(labelled_row("Where", self.where))

    def show_step(self, step: Step) -> None:
        """Show a step as it stands."""
        self.mix.show_value(step.mix * 100)
        self.blend.setCurrentIndex(BLENDS.index(step.blend))
        part = step.where.parts[0] if step.where.parts else None
        side = "outside" if step.where.invert else "in"
        self.where.setCurrentIndex(0 if part is None else self.where.findData(f"{side} {part.kind}"))

    def choose_where(self, choice: str | None) -> None:
        """Let the step work everywhere, or in or outside a kind of part."""
        step = self.session.step
        if step is None:
            return
        if choice is None:
            where = Where()
        else:
            side, name = choice.split()
            same = tuple(part for part in step.where.parts if part.kind == name)
            parts = same or (Part(f"{name}_1", name, part_kinds()[name].params_type()),)
            where = replace(step.where, parts=parts, invert=side == "outside")
        self._set("Where", where=where)

    def _set(self, what: str, *, dragging: bool = False, nudge: bool = False, **changes: Any) -> None:
        step = self.session.step
        if step is not None:
            label = f"{step.title}: {what.lower()}"
            self.session.change_step(replace(step, **changes), label, dragging=dragging, nudge=nudge)


def labelled_row(label: str, widget: QWidget) -> QHBoxLayout:
    """Return a row with a label at the left and a widget at the right."""
    row = QHBoxLayout()
    row.addWidget(QLabel(label))
    row.addStretch()
    widget.setMinimumWidth(150)
    widget.setAccessibleName(label)
    row.addWidget(widget)
    return row
