"""Where and how to export: file, format, quality, and what happens to a file that is there already."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
)  # fmt: skip

from dustpan.core.params import Param
from dustpan.core.picture import Source
from dustpan.files.save import DEFAULT_QUALITY, FORMATS
from dustpan.ui.sliders import NumberSlider

_QUALITY = Param(
    "Quality", float(DEFAULT_QUALITY), "Higher keeps more and makes a larger file.", low=1.0, high=100.0, step=1.0
)


class ExportDialog(QDialog):
    """Ask for the target of an export."""

    def __init__(self, folder: Path, source: Source, parent=None):
        super().__init__(parent)
        self._facts = {
            "name": Path(source.name).stem or "picture",
            "iso": str(source.metadata.iso or ""),
            "camera": source.metadata.camera,
            "date": date.today().isoformat(),
        }
        self.setWindowTitle("Export")
        self.setMinimumWidth(520)
        self.format = QComboBox(toolTip="File format and bit depth")
        for fmt in FORMATS.values():
            self.format.addItem(fmt.label, fmt.name)
        native = source.metadata.native
        start = {"uint8": "png", "uint16": "tiff16"}.get(source.pixels.dtype.name, "tiff32")
        start = native[0] if native and native[0] in FORMATS else start
        self.format.setCurrentIndex(self.format.findData(start))
        self.folder = QLineEdit(str(folder), toolTip="The folder to write into")
        self.name = QLineEdit("{name}-cleaned")
        self.name.setToolTip("A pattern: {name}, {iso}, {camera} and {date} stand for the picture's own")
        self.overwrite = QCheckBox(
            "Replace a file of this name", toolTip="Otherwise a file that is there is kept and nothing is written"
        )
        self.quality = NumberSlider(_QUALITY)
        self.note = QLabel(objectName="faint", wordWrap=True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.go = self.buttons.addButton("Export", QDialogButtonBox.ButtonRole.AcceptRole)
        for button in self.buttons.buttons():
            button.setIcon(QIcon())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._lay_out()
        for signal in (self.folder.textChanged, self.name.textChanged):
            signal.connect(self._mind)
        self.format.currentIndexChanged.connect(self._mind)
        self.overwrite.toggled.connect(self._mind)
        self._mind()

    def _lay_out(self) -> None:
        browse = QPushButton("Choose …")
        browse.setToolTip("Choose a folder")
        browse.clicked.connect(self._browse)
        folder = QHBoxLayout()
        folder.addWidget(self.folder, 1)
        folder.addWidget(browse)
        grid = QGridLayout(self)
        grid.setContentsMargins(18, 16, 18, 14)
        grid.setVerticalSpacing(10)
        grid.setHorizontalSpacing(14)
        for row, (label, field) in enumerate((("Folder", folder), ("Name", self.name), ("Format", self.format))):
            grid.addWidget(QLabel(label), row, 0)
            grid.addLayout(field, row, 1) if field is folder else grid.addWidget(field, row, 1)
        grid.addWidget(self.quality, 3, 1)
        grid.addWidget(self.overwrite, 4, 1)
        grid.addWidget(self.note, 5, 0, 1, 2)
        grid.addWidget(self.buttons, 6, 0, 1, 2, Qt.AlignmentFlag.AlignRight)

    @property
    def format_name(self) -> str:
        """Name of the chosen format."""
        return self.format.currentData()

    @property
    def target(self) -> Path:
        """The file to write."""
        return Path(self.folder.text()) / (self.filled() + FORMATS[self.format_name].suffixes[0])

    def filled(self) -> str:
        """Return the name with the picture's own words for the pattern's."""
        name = self.name.text()
        for key, word in self._facts.items():
            name = name.replace("{" + key + "}", word)
        return name.strip()

    def _browse(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Export into", self.folder.text())
        if folder:
            self.folder.setText(folder)

    def _mind(self) -> None:
        """Say what will happen, and allow the export only when it can."""
        self.quality.setVisible(FORMATS[self.format_name].quality)
        there = self.target.exists()
        fault = ""
        if not self.filled() or "/" in self.filled():
            fault = "Give the file a name."
        elif "{" in self.filled() or "}" in self.filled():
            fault = "The pattern knows {name}, {iso}, {camera} and {date}."
        elif not Path(self.folder.text()).is_dir():
            fault = f"There is no folder {self.folder.text()}."
        elif there and not self.overwrite.isChecked():
            fault = f"{self.target.name} is there already. Choose another name, or have it replaced."
        kept = "The picture you opened is never written to."
        done = f"{self.target.name} {'will be replaced' if there else 'will be written'}. "
        self.note.setText(fault or done + kept)
        self.go.setEnabled(not fault)
