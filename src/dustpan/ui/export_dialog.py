"""Where and how to export: file, format, quality, and in words what will really happen."""

from __future__ import annotations

import os
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.params import Param
from dustpan.core.document.viewing import read_viewing
from dustpan.core.errors import SaveError
from dustpan.core.picture.region import Size
from dustpan.core.picture.source import Source
from dustpan.core.render.finishing import Finish
from dustpan.core.render.resizing import fit_within
from dustpan.files.atomic import check_name
from dustpan.files.save import DEFAULT_QUALITY, FORMATS, Format, losses, own_format
from dustpan.ui.also_fields import AlsoField, read_size
from dustpan.ui.finish_fields import ViewingField
from dustpan.ui.memory import Memory
from dustpan.ui.translation import tr
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.fields_area import FieldsArea
from dustpan.ui.widgets.sliders import NumberSlider

QUALITY = Param(
    "Quality", float(DEFAULT_QUALITY), "Higher keeps more and makes a larger file.", low=1.0, high=100.0, step=1.0
)
SEE_FIRST = 2  # how the dialog ends when the output is to be shown before it is written
_PATTERN = "{name}-cleaned"
_FIELDS, _FRAME = 400, 48  # px: least width of the fields, what the desktop puts around a dialog
_ENDINGS = {suffix for fmt in FORMATS.values() for suffix in fmt.suffixes}


def kept_finish(memory: Memory) -> Finish:
    """Return size and last sharpening as they were chosen last."""
    try:
        size = read_size(memory.get("export_size", ""))
    except ValueError:
        size = None
    return Finish(size, read_viewing(memory.get("export_viewing", {})))


class ExportDialog(QDialog):
    """Ask for the target of an export; what was chosen last is offered again."""

    def __init__(self, path: Path | None, source: Source, memory: Memory | None = None, parent=None):
        super().__init__(parent)
        self._source, self._path, self._memory = source, path, memory or Memory()
        self._facts = {
            "name": (path.stem if path else Path(source.name).stem) or "picture",
            "iso": str(source.metadata.iso or ""),
            "camera": source.metadata.camera,
            "date": date.today().isoformat(),
        }
        self.setWindowTitle(tr("Export"))
        self._own = own_format(source, path)
        self.format = Choice(tr("How the file is written"), tr("Format"))
        self.format.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        lead = tr("as opened") if source.mosaic is None else tr("developed")
        self.format.addItem(f"{lead}: {tr(self._own.label)}", "")
        for fmt in (fmt for fmt in FORMATS.values() if source.mosaic is not None or not fmt.raw):
            self.format.addItem(tr(fmt.label), fmt.name)
        self.format.setCurrentIndex(max(self.format.findData(self._memory.get("export_format", "")), 0))
        kept = self._memory.get("export_folder", "")
        folder = Path(kept) if kept and Path(kept).is_dir() else path.parent if path else Path.home()
        self.folder = configured(QLineEdit(str(folder)), toolTip=tr("The folder to write into"))
        self.name = QLineEdit(self._memory.get("export_pattern", _PATTERN))
        self.name.setToolTip(tr("A pattern: {name}, {iso}, {camera} and {date} stand for the picture's own"))
        self.overwrite = configured(
            QCheckBox(tr("Replace a file of this name")),
            toolTip=tr("Otherwise a file that is there is kept and nothing is written"),
        )
        self.room = configured(
            QLineEdit(self._memory.get("export_size", "")),
            toolTip=tr("Reduce in proportion to fit: the longer side, or width x height; empty keeps the size"),
            placeholderText=tr("as it is"),
        )
        self.also = AlsoField(self._memory.get("export_also", []))
        self.with_original = configured(
            QCheckBox(tr("The original as a second page")),
            toolTip=tr("The file then holds the picture as it came too, for whoever wants to compare"),
            checked=self._memory.get("export_with_original", False),
        )
        self.viewing = ViewingField(self._memory.get("export_viewing", {}))
        self.quality = NumberSlider(QUALITY)
        self.quality.show_value(self._memory.get("export_quality", float(DEFAULT_QUALITY)))
        self.note = configured(QLabel(), objectName="faint", wordWrap=True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.look = self.buttons.addButton(tr("See it first"), QDialogButtonBox.ButtonRole.ActionRole)
        self.look.setToolTip(tr("Show the picture at its output size, with its last sharpening, before it is written"))
        self.look.clicked.connect(self._see_first)
        self.go = self.buttons.addButton(tr("Export"), QDialogButtonBox.ButtonRole.AcceptRole)
        for button in self.buttons.buttons():
            button.setIcon(QIcon())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._lay_out()
        for signal in (self.folder.textChanged, self.name.textChanged, self.room.textChanged):
            signal.connect(self._check)
        self.format.currentIndexChanged.connect(self._check)
        self.viewing.changed.connect(self._check)
        self.overwrite.toggled.connect(self._check)
        self.also.changed.connect(self._check)
        self._check()

    def _lay_out(self) -> None:
        browse = QPushButton(tr("Choose …"))
        browse.setToolTip(tr("Choose a folder"))
        browse.clicked.connect(self._browse)
        folder = QHBoxLayout()
        folder.addWidget(self.folder, 1)
        folder.addWidget(browse)
        fields = QWidget()
        grid = QGridLayout(fields)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(10)
        grid.setHorizontalSpacing(14)
        grid.setColumnMinimumWidth(1, _FIELDS)
        for row, label in enumerate(
            (tr("Folder"), tr("Name"), tr("Format"), tr("Size, px"), tr("Last sharpening"), tr("Also"))
        ):
            beside = QLabel(label)
            beside.setContentsMargins(0, 5, 0, 0)
            grid.addWidget(beside, row, 0, Qt.AlignmentFlag.AlignTop)
        grid.addLayout(folder, 0, 1)
        grid.addWidget(self.name, 1, 1)
        grid.addWidget(self.format, 2, 1)
        grid.addWidget(self.room, 3, 1)
        grid.addWidget(self.viewing, 4, 1)
        lower = (self.also, self.quality, self.with_original, self.overwrite)
        for row, field in enumerate(lower, 5):
            grid.addWidget(field, row, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 14)
        column.setSpacing(10)
        column.addWidget(FieldsArea(fields), 1)
        column.addWidget(self.note)
        column.addWidget(self.buttons)

    def event(self, event):
        """Grow with what is added: a note that wraps is not counted in the least height of a dialog."""
        done = super().event(event)
        layout = self.layout()
        if event.type() == QEvent.Type.LayoutRequest and self.isVisible() and layout is not None:
            screen = self.screen()
            most = screen.availableGeometry().height() - _FRAME if screen is not None else self.height()
            needed = min(layout.totalHeightForWidth(self.width()), most)
            self.resize(self.width(), max(self.height(), needed))
        return done

    @property
    def chosen(self) -> Format:
        """The chosen format."""
        name = self.format.currentData()
        return FORMATS[name] if name else self._own

    @property
    def size_wanted(self) -> Size | None:
        """Width and height to fit within, or None to keep the size; raises ValueError for what is neither."""
        return None if self.chosen.raw else read_size(self.room.text())

    @property
    def finish(self) -> Finish:
        """Size and last sharpening of the output; raises ValueError where the size is none."""
        return Finish(self.size_wanted, None if self.chosen.raw else self.viewing.viewing)

    @property
    def format_name(self) -> str:
        """Name of the chosen format."""
        return self.chosen.name

    @property
    def target(self) -> Path:
        """The file to write; an ending typed with the name is not doubled."""
        name = self.filled()
        stem, ending = os.path.splitext(name)
        if ending.lower() in _ENDINGS and stem:
            same = ending.lower() in self.chosen.suffixes
            return Path(self.folder.text()) / (name if same else stem + self.chosen.suffixes[0])
        return Path(self.folder.text()) / (name + self.chosen.suffixes[0])

    def filled(self) -> str:
        """Return the name with the picture's own words for the pattern's."""
        name = self.name.text()
        for key, word in self._facts.items():
            name = name.replace("{" + key + "}", word)
        return name.strip()

    def accept(self) -> None:
        """Remember what was chosen, and go."""
        self._remember()
        super().accept()

    def _see_first(self) -> None:
        """Remember what was chosen, and end so that the output is shown."""
        self._remember()
        self.done(SEE_FIRST)

    def _remember(self) -> None:
        self._memory.put("export_folder", self.folder.text())
        self._memory.put("export_format", self.format.currentData())
        self._memory.put("export_quality", float(self.quality.value))
        self._memory.put("export_pattern", self.name.text())
        self._memory.put("export_size", self.room.text())
        self._memory.put("export_also", self.also.to_json())
        self._memory.put("export_with_original", self.with_original.isChecked())
        viewing = self.viewing.viewing
        self._memory.put("export_viewing", viewing.to_json() if viewing else {})

    def _browse(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Export into"), self.folder.text())
        if folder:
            self.folder.setText(folder)

    def _has_size(self) -> bool:
        try:
            _ = self.size_wanted, self.also.also
        except ValueError:
            return False
        return True

    def _fault(self) -> str:
        """Return why nothing can be exported like this, or nothing."""
        filled = self.filled()
        if not filled or "/" in filled:
            return tr("Give the file a name.")
        if "{" in filled or "}" in filled:
            return tr("The pattern knows {name}, {iso}, {camera} and {date}.")
        if not self._has_size():
            return tr("The size is the longer side or width x height, from 8 px on: 1600 or 1600 x 1200.")
        if not Path(self.folder.text()).is_dir():
            return tr("There is no folder {folder}.", folder=self.folder.text())
        try:
            files = self._files()
            if len(set(files)) < len(files):
                return tr("Two of the files would have the same name.")
            for file in files:
                check_name(file, overwrite=self.overwrite.isChecked(), sources=[self._path] if self._path else [])
        except SaveError as fault:
            return str(fault).replace(" or --overwrite", ", or have it replaced")
        return ""

    def _files(self) -> list[Path]:
        """Return all files that would be written."""
        return [self.target, *(each.beside(self.target) for each in self.also.also)]

    def _check(self) -> None:
        """Say what will happen, and allow the export only when it can."""
        lossy = [self.chosen, *(FORMATS[row.format.currentData()] for row in self.also.rows)]
        self.quality.setVisible(any(fmt.quality for fmt in lossy))
        self.with_original.setVisible(self.chosen.pages)
        fault = self._fault()
        verb = tr("will be replaced") if not fault and self.target.exists() else tr("will be written")
        self.room.setEnabled(not self.chosen.raw)
        self.viewing.setEnabled(not self.chosen.raw)
        width, height = fit_within((self._source.width, self._source.height), None if fault else self.size_wanted)
        size = tr("{width} × {height} px, {format}", width=width, height=height, format=tr(self.chosen.label))
        done = [f"{self.target.name} {verb}: {size}.", *losses(self._source, self.chosen)]
        if not fault and self.also.rows:
            done.insert(1, tr("Beside it {names}.", names=", ".join(file.name for file in self._files()[1:])))
        self.note.setText(fault or " ".join([*done, tr("The picture you opened is never written to.")]))
        self.go.setEnabled(not fault)
        self.look.setEnabled(not self.chosen.raw and self._has_size())
