"""Give one route to many pictures: what, how, where to, and how far each of them is."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QKeySequence, QPixmap, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QProgressBar,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from dustpan.batch.export import Also
from dustpan.batch.names import PATTERN, WORDS
from dustpan.core.document.remedy import Remedy
from dustpan.core.errors import DustpanError
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.files import READS
from dustpan.files.folders import pictures_in
from dustpan.files.remedies import load_remedy
from dustpan.files.save import FORMATS
from dustpan.files.shelf import Shelf
from dustpan.ui.also_fields import AlsoField
from dustpan.ui.batch.queue import DONE, FAILED, WAITING, Item, Queue
from dustpan.ui.export_dialog import QUALITY
from dustpan.ui.memory import Memory
from dustpan.ui.picture.reduced import image_from, small_of
from dustpan.ui.route.foot import labelled_row
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.translation import tr
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.choice import Choice
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.panel import make_panel
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.widgets.text import shown_name

_SIDE = 348  # px of the column of wishes
_ICON = QSize(54, 40)
_CURRENT, _AUTO, _SUITED, _FILE = ":open", ":proposed", ":suited", ":file"  # routes beside those of the shelf
_ROUTES = {
    _CURRENT: "the open picture's route",
    _AUTO: "proposed for each picture",
    _SUITED: "from the shelf, by camera and ISO",
    _FILE: "a remedy file …",
}
_LOSSY = ("jpeg", "webp")


class BatchWindow(QWidget):
    """A window of its own beside the main one, which stays usable.

    Signals
    -------
    walked(paths, documents) : results are to be looked at in the main window, with what was done to each.
    """

    walked = pyqtSignal(object, object)

    def __init__(self, pool: Pool, memory: Memory, shelf: Shelf, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Batch – Dustpan"))
        self.setAcceptDrops(True)
        self.memory, self.shelf = memory, shelf
        self._shelved: dict[str, Remedy] = {}  # by what the list of routes holds for each
        self.jobs = Jobs(pool, self, lent=True)
        self.queue = Queue(self.jobs, self)
        self.current: Remedy | None = None  # the open picture's route
        self._file: Remedy | None = None  # of a remedy file
        self._rows: dict[Path, QTreeWidgetItem] = {}
        self._make_parts()
        self._lay_out()
        self._connect()
        self.resize(1060, 680)
        self._wish()

    # -- building ---------------------------------------------------------------------------------------------

    def _make_parts(self) -> None:
        self.add_button = word_button(
            tr("Add pictures …"), tr("Take files into the list (Ctrl+O); they can be dropped too")
        )
        self.folder_button = word_button(tr("Add a folder …"), tr("Take all pictures of a folder into the list"))
        self.remove_button = word_button(tr("Take out"), tr("Take the chosen pictures out of the list (Del)"))
        self.list = QTreeWidget()
        self.list.setHeaderLabels([tr("Picture"), tr("State")])
        self.list.setRootIsDecorated(False)
        self.list.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.list.setIconSize(_ICON)
        self.list.setAccessibleName(tr("Pictures"))
        header = self.list.header()
        assert header is not None
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.route = Choice(tr("The route that all pictures get"), tr("Route"))
        self.list_routes()
        self.folder = configured(
            QLineEdit(self.memory.get("batch_folder", "")), toolTip=tr("The folder of the results")
        )
        self.folder.setPlaceholderText(tr("a folder for the results"))
        self.choose_folder = word_button(tr("Choose …"), tr("Choose a folder"))
        self.pattern = QLineEdit(self.memory.get("batch_pattern", PATTERN))
        self.pattern.setToolTip(
            tr("A pattern: {words} stand for the picture's own", words=", ".join(f"{{{word}}}" for word in WORDS))
        )
        self.example = configured(QLabel(), objectName="faint", wordWrap=True)
        self.format = Choice(tr("How results are written"), tr("Format"))
        self.format.addItem(tr("as each was opened"), "")
        for fmt in FORMATS.values():
            if not fmt.raw:
                self.format.addItem(tr(fmt.label), fmt.name)
        self.quality = NumberSlider(QUALITY)
        self.also = AlsoField(self.memory.get("batch_also", []))
        self.sequence = configured(
            QCheckBox(tr("Frames of one sequence")),
            toolTip=tr("One route and one noise for all, so that what is cleaned does not flicker from frame to frame"),
        )
        self.overwrite = configured(QCheckBox(tr("Replace files of this name")), toolTip=tr("Otherwise they are kept"))
        self.note = configured(QLabel(), objectName="faint", wordWrap=True)
        self.bar = configured(QProgressBar(), textVisible=False, maximum=1000)
        self.bar.setAccessibleName(tr("How far all pictures are"))
        self.start_button = configured(word_button(tr("Start"), tr("Work all pictures that wait")), objectName="accent")
        self.pause_button = configured(word_button(tr("Pause"), tr("Begin no other picture")), checkable=True)
        self.retry_button = word_button(tr("Try failed ones again"), tr("Let pictures that have failed wait again"))
        self.report_button = word_button(tr("Save report …"), tr("Write what was made of each picture, as text"))
        self.walk_button = word_button(
            tr("Look at results"), tr("Go through them in the main window, each with its route")
        )

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        for button in (self.add_button, self.folder_button, self.remove_button):
            head.addWidget(button)
        head.addStretch()
        left = QVBoxLayout()
        left.addLayout(head)
        left.addWidget(self.list, 1)
        side, column = make_panel(width=_SIDE)
        column.addLayout(labelled_row(tr("Route"), self.route))
        column.addWidget(QLabel(tr("Folder")))
        folder = QHBoxLayout()
        folder.addWidget(self.folder, 1)
        folder.addWidget(self.choose_folder)
        column.addLayout(folder)
        column.addLayout(labelled_row(tr("Name"), self.pattern))
        column.addWidget(self.example)
        column.addLayout(labelled_row(tr("Format"), self.format))
        column.addWidget(self.also)
        column.addWidget(self.quality)
        column.addWidget(self.sequence)
        column.addWidget(self.overwrite)
        column.addStretch()
        column.addWidget(self.note)
        foot = QHBoxLayout()
        foot.addWidget(self.start_button)
        foot.addWidget(self.pause_button)
        foot.addWidget(self.bar, 1)
        for button in (self.retry_button, self.report_button, self.walk_button):
            foot.addWidget(button)
        middle = QHBoxLayout()
        middle.addLayout(left, 1)
        middle.addWidget(side)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 12)
        whole.setSpacing(10)
        whole.addLayout(middle, 1)
        whole.addLayout(foot)

    def _connect(self) -> None:
        queue = self.queue
        self.add_button.clicked.connect(self.ask_pictures)
        self.folder_button.clicked.connect(self._ask_source_folder)
        self.remove_button.clicked.connect(self._remove)
        self.choose_folder.clicked.connect(self._ask_folder)
        self.start_button.clicked.connect(lambda: queue.stop() if queue.running else self._start())
        self.pause_button.toggled.connect(queue.pause)
        self.retry_button.clicked.connect(self._retry)
        self.report_button.clicked.connect(self._ask_report)
        self.walk_button.clicked.connect(self._walk)
        self.list.itemDoubleClicked.connect(lambda row, column: self._walk(row))
        self.list.itemSelectionChanged.connect(self.refresh)
        self.route.activated.connect(self._choose_route)
        for signal in (self.folder.textChanged, self.pattern.textChanged):
            signal.connect(lambda _: self._wish())
        self.format.activated.connect(lambda _: self._wish())
        for box in (self.overwrite, self.sequence):
            box.toggled.connect(lambda _: self._wish())
        self.also.changed.connect(self._wish)
        for changed in (self.quality.changed, self.quality.nudged):
            changed.connect(lambda _: self._wish())
        queue.changed.connect(self.refresh)
        for key, act in (("Ctrl+O", self.ask_pictures), ("Del", self._remove), ("Esc", self.close)):
            QShortcut(QKeySequence(key), self).activated.connect(act)

    # -- pictures ---------------------------------------------------------------------------------------------

    def add(self, paths: list[Path]) -> None:
        """Take pictures into the list; a folder stands for the pictures in it."""
        found = [picture for path in paths for picture in pictures_in(path)]
        self.queue.add(found)
        for path in found:
            job, token = partial(small_of, path, 4 * _ICON.width()), Token()
            then = partial(self._show_small, path.absolute())
            self.jobs.run(job, then, priority=Priority.AROUND, token=token, failed=lambda fault: None)

    def ask_pictures(self) -> None:
        """Ask for files."""
        names, _ = QFileDialog.getOpenFileNames(self, tr("Pictures ({endings})", endings=READS))
        self.add([Path(name) for name in names])

    def _ask_source_folder(self) -> None:
        if name := QFileDialog.getExistingDirectory(self, tr("A folder of pictures")):
            self.add([Path(name)])

    def _remove(self) -> None:
        self.queue.remove([self._path_of(row) for row in self.list.selectedItems()])

    def _path_of(self, row: QTreeWidgetItem) -> Path:
        return next(path for path, own in self._rows.items() if own is row)

    def _show_small(self, path: Path, found: np.ndarray) -> None:
        if (row := self._rows.get(path)) is not None:
            mode, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            row.setIcon(0, QIcon(QPixmap.fromImage(image_from(found).scaled(2 * _ICON, mode, smooth))))

    def dragEnterEvent(self, event):
        """Take files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event):
        """Take the dropped files and folders into the list."""
        self.add([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    # -- wishes -----------------------------------------------------------------------------------------------

    def list_routes(self) -> None:
        """List the routes that there are, those of the shelf by their names."""
        chosen, (items, _) = self.route.currentData(), self.shelf.listed()
        self._own = tuple(item.remedy for item in items if item.path is not None)
        self._shelved = {f"={item.remedy.name}": item.remedy for item in reversed(items)}
        self.route.clear()
        for key in (_CURRENT, _AUTO, *((_SUITED,) if self._own else ())):
            self.route.addItem(tr(_ROUTES[key]), key)
        for name in dict.fromkeys(item.remedy.name for item in items):
            self.route.addItem(tr(name), f"={name}")
        self.route.addItem(tr(_ROUTES[_FILE]), _FILE)
        self.route.setCurrentIndex(max(self.route.findData(chosen), 0))

    def take_current(self, remedy: Remedy | None) -> None:
        """Follow the route of the picture that is open in the main window."""
        self.current = remedy
        self._wish()

    def _choose_route(self, index: int) -> None:
        if self.route.itemData(index) == _FILE:
            name, _ = QFileDialog.getOpenFileName(self, tr("Remedy"), "", tr("Remedies (*.json);;All files (*)"))
            try:
                self._file = load_remedy(Path(name)) if name else None
            except DustpanError as fault:
                self._file = None
                self.note.setText(str(fault))
                return
        self._wish()

    @property
    def remedy(self) -> Remedy | None:
        """The remedy for all pictures; None proposes one for each."""
        chosen_here = {_CURRENT: self.current, _FILE: self._file}
        return chosen_here.get(chosen := self.route.currentData(), self._shelved.get(chosen))

    def _wish(self) -> None:
        """Take over what is set."""
        folder = self.folder.text().strip()
        self.queue.wishes = replace(
            self.queue.wishes,
            remedy=self.remedy,
            shelf=self._own if self.route.currentData() == _SUITED else (),
            folder=Path(folder) if folder else Path(),
            pattern=self.pattern.text(),
            format=self.format.currentData() or "",
            quality=round(self.quality.value),
            overwrite=self.overwrite.isChecked(),
            also=self._also(),
            sequence=self.sequence.isChecked(),
        )
        self.refresh()

    def _also(self) -> tuple[Also, ...]:
        try:
            return self.also.also
        except ValueError:  # reported by `_fault`
            return ()

    def _ask_folder(self) -> None:
        if name := QFileDialog.getExistingDirectory(self, tr("A folder for the results"), self.folder.text()):
            self.folder.setText(name)

    def _fault(self) -> str:
        """Return why the work can't begin, or nothing."""
        if self.route.currentData() in (_CURRENT, _FILE) and self.remedy is None:
            return tr("There is no such route: open a picture, or choose another one.")
        if not self.folder.text().strip():
            return tr("Choose a folder for the results.")
        try:
            _ = self.also.also
        except ValueError:
            return tr("The size is the longer side or width x height, from 8 px on: 1600 or 1600 x 1200.")
        return self.queue.fault()

    # -- work -------------------------------------------------------------------------------------------------

    def _start(self) -> None:
        if self._fault():
            return
        self.memory.put("batch_folder", self.folder.text())
        self.memory.put("batch_pattern", self.pattern.text())
        self.memory.put("batch_also", self.also.to_json())
        self.pause_button.setChecked(False)
        if not self.queue.count(WAITING):
            self.queue.again()
        self.queue.start()

    def _retry(self) -> None:
        self.queue.retry()
        self._start()

    def refresh(self) -> None:
        """Show everything as it stands."""
        queue, fault = self.queue, self._fault()
        self._list_items()
        self.bar.setValue(round(1000 * queue.share))
        self.start_button.setText(
            tr("Stop") if queue.running else tr("Start {count}", count=queue.count(WAITING) or len(queue.items))
        )
        self.start_button.setEnabled(queue.running or not fault)
        self.pause_button.setEnabled(queue.running)
        self.retry_button.setVisible(queue.count(FAILED) > 0 and not queue.running)
        ended = queue.count(DONE)
        for button in (self.report_button, self.walk_button):
            button.setEnabled(ended > 0)
        self.remove_button.setEnabled(bool(self.list.selectedItems()))
        formats = [self.format.currentData(), *(row.format.currentData() for row in self.also.rows)]
        self.quality.setVisible(any(name in _LOSSY for name in formats))
        self.quality.show_value(self.queue.wishes.quality)
        self.example.setText(self._example())
        words = tr("{ended} of {count} done", ended=ended, count=len(queue.items)) + (
            tr(", {failed} failed", failed=queue.count(FAILED)) if queue.count(FAILED) else ""
        )
        words = ", ".join(filter(None, (words, queue.time_left)))
        words = tr("The noise that all frames share is being measured.") if queue.preparing else words
        self.note.setText(words if queue.running or ended else fault)

    def _example(self) -> str:
        picture = self.queue.items[0].path if self.queue.items else Path("picture.png")
        try:
            return tr(
                "{name} becomes {target}", name=shown_name(picture), target=self.queue.wishes.target(picture, 1).name
            )
        except DustpanError as fault:
            return str(fault)

    def _list_items(self) -> None:
        wanted = {item.path: item for item in self.queue.items}
        for path in [path for path in self._rows if path not in wanted]:
            self.list.takeTopLevelItem(self.list.indexOfTopLevelItem(self._rows.pop(path)))
        for path, item in wanted.items():
            if path not in self._rows:
                self._rows[path] = QTreeWidgetItem([shown_name(path), ""])
                self._rows[path].setToolTip(0, str(path))
                self.list.addTopLevelItem(self._rows[path])
            self._show_item(self._rows[path], item)

    def _show_item(self, row: QTreeWidgetItem, item: Item) -> None:
        if row.text(1) != item.words:
            row.setText(1, item.words)
            row.setToolTip(1, item.error or "; ".join((item.output or {}).get("messages", [])))

    def _ask_report(self) -> None:
        start = Path(self.folder.text()) / "report.txt"
        name, _ = QFileDialog.getSaveFileName(self, tr("Save report"), str(start), tr("Text (*.txt)"))
        if name:
            try:
                Path(name).write_text(self.queue.report(), "utf-8", errors="surrogateescape")
            except OSError as fault:
                self.note.setText(tr("{name}: can't be written ({reason}).", name=name, reason=fault.strerror))

    def _walk(self, first: QTreeWidgetItem | None = None) -> None:
        """Have the pictures shown in the main window, from a row on."""
        documents = self.queue.documents
        paths = list(documents)
        if isinstance(first, QTreeWidgetItem) and (path := self._path_of(first)) in documents:
            at = paths.index(path)
            paths = paths[at:] + paths[:at]
        if paths:
            self.walked.emit(paths, documents)

    def end(self) -> None:
        """Stop everything, when the application ends."""
        self.queue.stop()
        self.jobs.close()
