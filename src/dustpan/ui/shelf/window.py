"""The window of the shelf: a list of remedies, and what the chosen one does to the open picture."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.remedy import Remedy
from dustpan.core.errors import DustpanError
from dustpan.core.noise.fixed import suited_remedy
from dustpan.files.remedies import save_remedy
from dustpan.files.shelf import Shelf, Shelved
from dustpan.ui.remedy_files import RemedyFiles
from dustpan.ui.shelf.keeping import KeepDialog
from dustpan.ui.shelf.previews import Previews
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.panel import make_panel
from dustpan.ui.widgets.text import shown_name

_SIZE = (1040, 680)
_LIST = 440  # px
_REMEDIES = "Remedies (*.json);;All files (*)"
_SUITED, _OWN, _READY = "For this camera and ISO", "Kept", "For a need"  # groups of the list


class ShelfWindow(QWidget):
    """A window beside the main one, which stays usable.

    Signals
    -------
    changed : the shelf holds other remedies.
    """

    changed = pyqtSignal()

    def __init__(self, shelf: Shelf, remedies: RemedyFiles, previews: Previews, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Remedies – Dustpan"))
        self.shelf, self.remedies, self.previews = shelf, remedies, previews
        self.session = remedies.session
        self.items: list[Shelved] = []  # as they are listed
        self._make_parts()
        self._lay_out()
        self._connect()
        self.resize(*_SIZE)
        self.refresh()

    def _make_parts(self) -> None:
        self.search = configured(QLineEdit(), placeholderText=tr("Search"), clearButtonEnabled=True)
        self.search.setToolTip(tr("Words of the name, the note, the camera, the ISO or the steps (Ctrl+F)"))
        self.list = QTreeWidget()
        self.list.setHeaderLabels([tr("Remedy"), tr("Made for")])
        self.list.setRootIsDecorated(False)
        self.list.setItemsExpandable(False)
        self.list.setIndentation(10)
        self.list.setAccessibleName(tr("Remedies"))
        header = self.list.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.name = QLabel()
        self.name.setWordWrap(True)
        self.note = configured(QLabel(), objectName="faint", wordWrap=True)
        self.steps = configured(QLabel(), wordWrap=True)
        self.told = configured(QLabel(), objectName="faint", wordWrap=True)
        self.take_button = configured(
            word_button(tr("Take it"), tr("Take this route for the open picture")), objectName="accent"
        )
        self.keep_button = word_button(tr("Keep this route …"), tr("Put the open picture's route on the shelf"))
        self.import_button = word_button(tr("Take in files …"), tr("Copy remedy files onto the shelf"))
        self.export_button = word_button(tr("Save as file …"), tr("Save the chosen remedy as a file, to pass it on"))
        self.drop_button = word_button(tr("Remove"), tr("Take the chosen remedy off the shelf (Del)"))

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        for buttons in ((self.keep_button, self.import_button), (self.export_button, self.drop_button)):
            row = QHBoxLayout()
            for button in buttons:
                row.addWidget(button)
            left.addLayout(row)
        left.addWidget(self.told)
        side, right = make_panel(spacing=6)
        for label in (self.name, self.note, self.steps):
            right.addWidget(label)
        right.addWidget(self.previews, 1)
        foot = QHBoxLayout()
        foot.addStretch()
        foot.addWidget(self.take_button)
        right.addLayout(foot)
        held = QWidget()
        held.setFixedWidth(_LIST)
        left.setContentsMargins(0, 0, 0, 0)
        held.setLayout(left)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 12, 12, 12)
        whole.setSpacing(12)
        whole.addWidget(held)
        whole.addWidget(side, 1)

    def _connect(self) -> None:
        self.search.textChanged.connect(lambda _: self.refresh())
        self.list.currentItemChanged.connect(lambda now, before: self._show_chosen())
        self.list.itemDoubleClicked.connect(lambda row, column: self.take())
        self.take_button.clicked.connect(self.take)
        self.keep_button.clicked.connect(self.ask_keep)
        self.import_button.clicked.connect(self._ask_import)
        self.export_button.clicked.connect(self._ask_export)
        self.drop_button.clicked.connect(self.drop)
        self.session.opened.connect(self._follow)
        self.session.edited.connect(lambda dragging: self._enable())
        self.previews.proofs.chosen.connect(self._follow)
        for key, act in (
            ("Ctrl+F", self.search.setFocus),
            ("Del", self.drop),
            ("Esc", self.close),
            ("Return", self.take),
        ):
            QShortcut(QKeySequence(key), self).activated.connect(act)

    # -- what is there ----------------------------------------------------------------------------------------

    def _facts(self) -> tuple[str, int | None]:
        """Return camera and ISO of the open picture."""
        engine = self.session.engine
        return (engine.source.metadata.camera, engine.source.metadata.iso) if engine is not None else ("", None)

    def _groups(self) -> dict[str, list[Shelved]]:
        """Return what is on the shelf, led by what suits the open picture."""
        items, faults = self.shelf.listed()
        self.told.setText(" ".join(faults))
        own, ready = ([item for item in items if (item.path is None) == come] for come in (False, True))
        suited = suited_remedy([item.remedy for item in own], *self._facts())
        leading = [item for item in own if item.remedy is suited] or ([Shelved(suited)] if suited else [])
        return {_SUITED: leading, _OWN: [item for item in own if item not in leading], _READY: ready}

    def refresh(self, chosen: Path | None = None) -> None:
        """List the shelf anew; the remedy of a file is chosen, else the first one."""
        self.list.clear()
        self.items.clear()
        first = None
        for name, items in self._groups().items():
            found = [item for item in items if item.matches(self.search.text())]
            if not found:
                continue
            group = QTreeWidgetItem([tr(name)])
            group.setFlags(Qt.ItemFlag.ItemIsEnabled)
            group.setForeground(0, theme.colour("faint"))
            self.list.addTopLevelItem(group)
            group.setFirstColumnSpanned(True)
            group.setExpanded(True)
            for item in found:
                row = QTreeWidgetItem([tr(item.remedy.name), item.made_for if item.remedy.camera else ""])
                row.setToolTip(0, tr(item.remedy.note))
                row.setData(0, Qt.ItemDataRole.UserRole, len(self.items))
                group.addChild(row)
                self.items.append(item)
                if first is None or (chosen is not None and item.path == chosen):
                    first = row
        self.list.setCurrentItem(first)
        self._show_chosen()

    @property
    def chosen(self) -> Shelved | None:
        """The remedy that is chosen, or None."""
        row = self.list.currentItem()
        at = row.data(0, Qt.ItemDataRole.UserRole) if row is not None else None
        return self.items[at] if at is not None and at < len(self.items) else None

    def _follow(self) -> None:
        """Show what belongs to the picture that is open now."""
        if self.isVisible():
            chosen = self.chosen
            self.refresh(chosen.path if chosen is not None else None)

    def _show_chosen(self) -> None:
        item = self.chosen
        self.name.setText(tr(item.remedy.name) if item is not None else tr("Nothing found"))
        self.note.setText(tr(item.remedy.note) if item is not None else "")
        self.note.setVisible(bool(self.note.text()))
        self.steps.setText(_steps_in_words(item.remedy) if item is not None else "")
        self._enable()
        if self.isVisible():
            self.previews.show_remedy(item.remedy if item is not None else None)

    def _enable(self) -> None:
        item, there = self.chosen, self.session.engine is not None
        self.take_button.setEnabled(item is not None and there)
        self.keep_button.setEnabled(there and len(self.session.route) > 0)
        self.export_button.setEnabled(item is not None)
        self.drop_button.setEnabled(item is not None and item.path is not None)

    def showEvent(self, event):
        """Show what is on the shelf by now."""
        super().showEvent(event)
        self._follow()

    def closeEvent(self, event):
        """End the previews."""
        self.previews.stop()
        super().closeEvent(event)

    # -- what is done -----------------------------------------------------------------------------------------

    def take(self) -> None:
        """Take the chosen route for the open picture."""
        if (item := self.chosen) is not None and self.session.engine is not None:
            self.remedies.take(item.remedy, item.remedy.name)

    def ask_keep(self) -> None:
        """Ask for a name, and put the open picture's route on the shelf."""
        remedy = self.remedies.current()
        if remedy is None or not len(remedy.route):
            return
        made_for = Shelved(remedy, Path()).made_for
        dialog = KeepDialog(replace(remedy, name=made_for or "My route"), made_for, self)
        dialog.accepted.connect(lambda: self.keep(dialog.remedy))
        dialog.open()

    def keep(self, remedy: Remedy) -> None:
        """Put a remedy on the shelf."""
        try:
            kept = self.shelf.keep(remedy)
        except DustpanError as fault:
            self.told.setText(str(fault))
            return
        if self.session.route == remedy.route:
            self.session.mark_safe(self.session.history.document)
        self.search.clear()
        self.refresh(kept.path)
        self.changed.emit()

    def _ask_import(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Take in remedies"), "", tr(_REMEDIES))
        self.take_in([Path(name) for name in names])

    def take_in(self, files: list[Path]) -> None:
        """Copy remedy files onto the shelf; those that are none are named."""
        faults, last = [], None
        for file in files:
            try:
                last = self.shelf.take_in(file).path
            except DustpanError as fault:
                faults.append(str(fault))
        self.refresh(last)
        if faults:
            self.told.setText(" ".join(faults))
        self.changed.emit()

    def _ask_export(self) -> None:
        if (item := self.chosen) is None:
            return
        name, _ = QFileDialog.getSaveFileName(self, tr("Save remedy"), f"{item.remedy.name}.json", tr(_REMEDIES))
        if not name:
            return
        try:
            save_remedy(Path(name), item.remedy, overwrite=True)  # the file dialog has asked
        except DustpanError as fault:
            self.told.setText(str(fault))
            return
        self.told.setText(tr("Saved {name}.", name=shown_name(Path(name), whole=True)))

    def drop(self) -> None:
        """Take the chosen remedy off the shelf; a word takes it back."""
        item = self.chosen
        if item is None or item.path is None:
            return
        try:
            self.shelf.drop(item)
        except DustpanError as fault:
            self.told.setText(str(fault))
            return
        self.refresh()
        self.changed.emit()
        back = partial(self.keep, item.remedy)
        self.remedies.session.offered.emit(
            tr("Removed {name} from the shelf.", name=item.remedy.name), tr("Put it back"), back, _nothing
        )


def _steps_in_words(remedy: Remedy) -> str:
    steps = [tr(step.title) + ("" if step.on else tr(" (off)")) for step in remedy.route]
    scaling = (
        tr("as strong as on its own picture") if remedy.scaling == "fixed" else tr("as strong as each picture's noise")
    )
    return f"{' · '.join(steps)} – {scaling}." if steps else tr("No steps.")


def _nothing() -> None:
    """Leave it so."""
