"""Ask how a route is kept on the shelf: its name, a note, and how its strengths fare on other pictures."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QPlainTextEdit, QWidget

from dustpan.core.document.remedy import Remedy
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured

_SCALING = {"measured": "follow the noise of each picture", "fixed": "stay as on this picture"}
_TOLD = {
    "measured": "Each picture's own noise is measured, and as large a part of it is taken away.",
    "fixed": "The noise of this picture goes with the remedy and is used in place of a measurement, "
    "in batches and on the command line.",
}


class KeepDialog(QDialog):
    """Name a remedy before it is kept."""

    def __init__(self, remedy: Remedy, made_for: str, parent: QWidget | None = None):
        super().__init__(parent)
        self._remedy = remedy
        self.setWindowTitle(tr("Keep this route"))
        self.setMinimumWidth(580)
        self.name = configured(QLineEdit(remedy.name), toolTip=tr("The name on the shelf"))
        self.note = configured(QPlainTextEdit(remedy.note), toolTip=tr("What it is good for, in your own words"))
        self.note.setTabChangesFocus(True)
        self.note.setFixedHeight(72)
        self.scaling = Choice(tr("How strong it is on other pictures"), tr("Strengths"))
        for key, words in _SCALING.items():
            self.scaling.addItem(tr(words), key)
        self.scaling.setCurrentIndex(list(_SCALING).index(remedy.scaling))
        self.told = configured(QLabel(), objectName="faint", wordWrap=True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.go = self.buttons.addButton(tr("Keep"), QDialogButtonBox.ButtonRole.AcceptRole)
        for button in self.buttons.buttons():
            button.setIcon(QIcon())
        form = QFormLayout(self)
        form.setContentsMargins(18, 16, 18, 14)
        form.setVerticalSpacing(10)
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Made for"), QLabel(made_for or tr("unknown camera")))
        form.addRow(tr("Note"), self.note)
        form.addRow(tr("Strengths"), self.scaling)
        form.addRow("", self.told)
        form.addRow(self.buttons)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.name.textChanged.connect(lambda _: self._check())
        self.scaling.currentIndexChanged.connect(lambda _: self._check())
        self._check()

    def _check(self) -> None:
        self.told.setText(tr(_TOLD[self.scaling.currentData()]))
        self.go.setEnabled(bool(self.name.text().strip()))

    @property
    def remedy(self) -> Remedy:
        """The remedy as it is to be kept."""
        name, note = self.name.text().strip(), self.note.toPlainText().strip()
        return replace(self._remedy, name=name, note=note, scaling=self.scaling.currentData())
