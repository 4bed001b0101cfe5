"""Controls for what a last sharpening is for: a usual way of looking, or its numbers."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QVBoxLayout, QWidget

from dustpan.core.document.viewing import RANGES, USUAL, Viewing, read_viewing
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured

_WORDS = {
    "screen": "for a screen",
    "glossy": "for a glossy print",
    "matte": "for a matte print",
    "poster": "for a poster",
}
_OWN = "own"
_NUMBERS = {  # words before and behind, digits, step, help
    "distance": ("from ", " cm", 0, 5.0, "Distance of the eye"),
    "density": ("", " px an inch", 0, 10.0, "Pixels an inch, on the screen or on paper"),
    "spread": (
        "spread ",
        " mm",
        2,
        0.01,
        "How far the screen's pixels or the ink on the paper run: more on rough paper",
    ),
}


def words_for(viewing: Viewing | None) -> str:
    """Return in a few words what a last sharpening is for."""
    if viewing is None:
        return tr("no last sharpening")
    name = next((name for name, usual in USUAL.items() if usual == viewing), "")
    return tr("last sharpening {viewing}", viewing=tr(_WORDS[name])) if name else tr("last sharpening by its numbers")


class ViewingField(QWidget):
    """Choose what the last sharpening is for.

    changed() : another way was chosen, or a number was set.
    """

    changed = pyqtSignal()

    def __init__(self, kept: Any = None, parent: QWidget | None = None):
        super().__init__(parent)
        self.choice = Choice(tr("Sharpens the finished size for how it will be looked at"), tr("Last sharpening"))
        self.choice.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.choice.addItem(tr("none"), "")
        for name, words in _WORDS.items():
            self.choice.addItem(tr(words), name)
        self.choice.addItem(tr("by these numbers"), _OWN)
        self.numbers: dict[str, QDoubleSpinBox] = {}
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        self._row = QWidget()
        self._row.setLayout(row)
        for key, (before, behind, digits, step, tip) in _NUMBERS.items():
            box = configured(QDoubleSpinBox(), decimals=digits, singleStep=step, toolTip=tr(tip))
            box.setRange(*RANGES[key])
            box.setPrefix(tr(before))
            box.setSuffix(tr(behind))
            box.setAccessibleName(tr(tip))
            box.valueChanged.connect(self._take_number)
            row.addWidget(box)
            self.numbers[key] = box
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.choice)
        whole.addWidget(self._row)
        self.choice.currentIndexChanged.connect(self._take_choice)
        self.show_viewing(read_viewing(kept))

    @property
    def viewing(self) -> Viewing | None:
        """What was chosen."""
        if not self.choice.currentData():
            return None
        return replace(USUAL["screen"], **{key: round(box.value(), 3) for key, box in self.numbers.items()})

    def show_viewing(self, viewing: Viewing | None) -> None:
        """Show a way of looking."""
        name = next((name for name, usual in USUAL.items() if usual == viewing), _OWN if viewing else "")
        if viewing is not None:
            self._show_numbers(viewing)
        self.choice.setCurrentIndex(self.choice.findData(name))
        self._row.setVisible(viewing is not None)

    def _show_numbers(self, viewing: Viewing) -> None:
        for key, box in self.numbers.items():
            with QSignalBlocker(box):
                box.setValue(getattr(viewing, key))

    def _take_choice(self) -> None:
        name = self.choice.currentData()
        self._row.setVisible(bool(name))
        if name in USUAL:
            self._show_numbers(USUAL[name])
        self.changed.emit()

    def _take_number(self) -> None:
        self.show_viewing(self.viewing)
        self.changed.emit()
