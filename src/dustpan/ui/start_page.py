"""What stands in the window while no picture is open: how to open one, those opened last, the samples."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dustpan.core.document.work import Work
from dustpan.files import READS
from dustpan.simulate.scenes import SCENES
from dustpan.simulate.series import SERIES
from dustpan.ui.session.kept import KeptWork, name_of
from dustpan.ui.translation import counted, tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.discard import discard
from dustpan.ui.widgets.picture_tile import WIDTH, PictureTile
from dustpan.ui.widgets.text import shown_name

_COLUMNS, _GAP = 4, 14
_SHOWN = 2 * _COLUMNS  # recent pictures
_ACROSS = _COLUMNS * WIDTH + (_COLUMNS - 1) * _GAP


class StartPage(QScrollArea):
    """A quiet page with three ways to begin.

    Signals
    -------
    asked : a file is to be chosen.
    picked(path) : a recent picture is to be opened.
    sample(name) : a demo scene is to be opened.
    """

    asked = pyqtSignal()
    picked = pyqtSignal(object)
    sample = pyqtSignal(str)

    def __init__(self, recent: Callable[[], Sequence[str]], kept: KeptWork, parent: QWidget | None = None):
        super().__init__(parent)
        self._recent, self._kept = recent, kept
        self.open_button = QPushButton(tr("Open …"))
        self.open_button.setToolTip(tr("Open a picture (Ctrl+O)"))
        self.open_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.open_button.clicked.connect(lambda: self.asked.emit())
        self._recent_title = configured(QLabel(tr("Opened last")), objectName="faint")
        self._recent_tiles, samples = _grid(), _grid()
        words = {name: one.words for name, one in SCENES.items()} | {name: one.words for name, one in SERIES.items()}
        for number, (name, about) in enumerate(words.items()):
            open_it = partial(self.sample.emit, name)
            title, tip = tr(name.capitalize().replace("-", " ")), tr("Open a made-up sample: {about}", about=tr(about))
            tile = PictureTile(title, tr(about), tip, open_it, _sample_picture(name), lines=3)
            samples.addWidget(tile, *divmod(number, _COLUMNS))
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(self._invitation())
        column.addSpacing(20)
        for part in (self._recent_title, self._recent_tiles):
            column.addWidget(part) if isinstance(part, QWidget) else column.addLayout(part)
        column.addSpacing(14)
        column.addWidget(configured(QLabel(tr("Samples")), objectName="faint"))
        column.addLayout(samples)
        body = QWidget()
        body.setFixedWidth(_ACROSS)
        body.setLayout(column)
        page = QWidget()
        whole = QVBoxLayout(page)
        whole.addStretch()
        whole.addWidget(body, 0, Qt.AlignmentFlag.AlignHCenter)
        whole.addStretch()
        self.setWidget(page)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.refresh()

    def _invitation(self) -> QHBoxLayout:
        title = QLabel(tr("Drop pictures here"))
        title.setFont(theme.font(17))
        words = QVBoxLayout()
        words.setSpacing(4)
        words.addWidget(title)
        words.addWidget(
            configured(QLabel(tr("or open them: {endings}.", endings=READS)), objectName="faint", wordWrap=True)
        )
        row = QHBoxLayout()
        row.setSpacing(24)
        row.addLayout(words, 1)
        row.addWidget(self.open_button, 0, Qt.AlignmentFlag.AlignVCenter)
        return row

    def refresh(self) -> None:
        """Show the recent pictures that are still there, and how far each is."""
        while self._recent_tiles.count():
            if (widget := self._recent_tiles.takeAt(0).widget()) is not None:
                discard(widget)
        there = [Path(name) for name in self._recent() if Path(name).is_file()][:_SHOWN]
        self._recent_title.setVisible(bool(there))
        for number, path in enumerate(there):
            name = name_of(path)
            words, image = how_far(self._kept.find(name)), self._kept.picture(name)
            tip = shown_name(path, whole=True)
            tile = PictureTile(shown_name(path), words, tip, partial(self.picked.emit, path), image)
            self._recent_tiles.addWidget(tile, *divmod(number, _COLUMNS))


def how_far(work: Work | None) -> str:
    """Return in words what was done to a picture."""
    if work is None or not (work.route or work.takes):
        return tr("no steps yet")
    steps = counted("{count} step", "{count} steps", len(work.route))
    takes = counted(", {count} take", ", {count} takes", len(work.takes)) if work.takes else ""
    return f"{steps}{takes}, {tr('exported') if work.written else tr('not exported')}"


def _sample_picture(name: str) -> QImage:
    image = QImage()
    image.loadFromData(files("dustpan.simulate").joinpath("data", f"{name}-small.jpg").read_bytes())
    return image


def _grid() -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(_GAP)
    grid.setVerticalSpacing(10)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setColumnStretch(_COLUMNS, 1)
    return grid
