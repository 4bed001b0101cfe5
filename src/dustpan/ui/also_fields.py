"""Other files that are written of the same picture: a row each, with format and size."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dustpan.batch.export import Also
from dustpan.core.picture.region import Size
from dustpan.files.save import FORMATS
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.icons import icon

_MOST = 4  # rows
_SIZE_WIDTH = 84  # px
_USUAL = "jpeg"


def read_size(text: str) -> Size | None:
    """Return width and height from what a user types, or None for nothing; raises ValueError for what is neither."""
    text = text.strip().lower().replace("×", "x").replace(" ", "")
    if not text:
        return None
    sides = [int(word) for word in text.split("x")]
    if len(sides) > 2 or not all(8 <= side <= 100_000 for side in sides):
        raise ValueError(text)
    return sides[0], sides[-1]


class AlsoRow(QWidget):
    """Format and size of another file."""

    def __init__(self) -> None:
        super().__init__()
        self.format = Choice(tr("How this file is written"), tr("Format of another file"))
        for fmt in FORMATS.values():
            if not fmt.raw:
                self.format.addItem(tr(fmt.label), fmt.name)
        self.format.setCurrentIndex(self.format.findData(_USUAL))
        self.room = configured(
            QLineEdit(),
            placeholderText=tr("as it is"),
            toolTip=tr("Reduce in proportion to fit: the longer side, or width x height; empty keeps the size"),
        )
        self.room.setAccessibleName(tr("Size of another file"))
        self.room.setFixedWidth(_SIZE_WIDTH)
        self.drop = configured(QPushButton(icon("close", theme.GREYS.text), ""), objectName="quiet")
        self.drop.setToolTip(tr("Leave this file out"))
        self.drop.setAccessibleName(tr("Leave this file out"))
        self.drop.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.format, 1)
        row.addWidget(self.room)
        row.addWidget(self.drop)

    @property
    def also(self) -> Also:
        """The file; raises ValueError where the size is none."""
        return Also(self.format.currentData(), read_size(self.room.text()))


class AlsoField(QWidget):
    """A list of other files that can be added to and taken from.

    Signals
    -------
    changed : another file is wanted, or one no more.
    """

    changed = pyqtSignal()

    def __init__(self, given: list[list] | None = None):
        super().__init__()
        self.rows: list[AlsoRow] = []
        self.add_button = word_button(tr("Another file …"), tr("Write the picture in another format or size too"))
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.addWidget(self.add_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.add_button.clicked.connect(self.add)
        for name, size in _sound(given or []):
            row = self.add()
            row.format.setCurrentIndex(row.format.findData(name))
            row.room.setText(size)

    def add(self) -> AlsoRow:
        """Add a row."""
        row = AlsoRow()
        self.rows.append(row)
        self._column.insertWidget(self._column.count() - 1, row)
        row.drop.clicked.connect(partial(self._remove, row))
        row.format.currentIndexChanged.connect(lambda _: self.changed.emit())
        row.room.textChanged.connect(lambda _: self.changed.emit())
        self._tell()
        return row

    def _remove(self, row: AlsoRow) -> None:
        self.rows.remove(row)
        self._column.removeWidget(row)
        discard(row)
        self._tell()

    def _tell(self) -> None:
        self.add_button.setVisible(len(self.rows) < _MOST)
        self.changed.emit()

    @property
    def also(self) -> tuple[Also, ...]:
        """The files; raises ValueError where a size is none."""
        return tuple(row.also for row in self.rows)

    def to_json(self) -> list[list]:
        """Return plain values, for the next time."""
        return [[row.format.currentData(), row.room.text()] for row in self.rows]


def _sound(given: list) -> list[tuple[str, str]]:
    """Return what is sound of values that were kept."""
    pairs = [item for item in given if isinstance(item, list) and len(item) == 2]
    return [(name, size) for name, size in pairs if name in FORMATS and isinstance(size, str)][:_MOST]
