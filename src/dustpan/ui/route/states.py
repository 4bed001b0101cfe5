"""A popup with the takes that were kept and the history, to compare with and to step through."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QLabel, QListWidget, QPushButton, QVBoxLayout, QWidget

from dustpan.ui.picture.compare import ORIGINAL, Compare
from dustpan.ui.session.session import Session
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.icons import icon


class States(QFrame):
    """Takes at the left, the history at the right."""

    def __init__(self, session: Session, compare: Compare, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("steplist")
        self.session, self.compare = session, compare
        self.setFixedSize(520, 330)
        self.takes = self._list("Takes", "Double-click, or Enter, goes back to a take; that can be undone.")
        self.history = self._list(
            "History", "Every change so far; choose one to go there. What comes after it can be redone."
        )
        self.takes.itemActivated.connect(lambda item: session.go_to_take(item.text()))
        self.history.currentRowChanged.connect(self._step)
        self.buttons = {
            name: self._button(picture, tip, run)
            for name, picture, tip, run in (
                ("keep", "add", "Keep the route as it stands as a take (T)", lambda: session.keep_take()),
                ("compare", "compare", "Compare with this take", self._compare),
                ("rename", "rename", "Give this take another name", self._rename),
                ("drop", "delete", "Forget this take", self._drop),
            )
        }
        under = QHBoxLayout()
        for button in self.buttons.values():
            under.addWidget(button)
        under.addStretch()
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(configured(QLabel("Takes"), objectName="faint"))
        left.addWidget(self.takes, 1)
        left.addLayout(under)
        right.addWidget(configured(QLabel("History"), objectName="faint"))
        right.addWidget(self.history, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 10, 10, 10)
        row.addLayout(left, 2)
        row.addLayout(right, 3)
        for signal in (session.opened, session.taken):
            signal.connect(self.refresh)
        session.edited.connect(lambda dragging: None if dragging else self.refresh())
        self.takes.currentRowChanged.connect(lambda n: self._enable_buttons())
        self.refresh()

    def _list(self, name: str, tip: str) -> QListWidget:
        entries = configured(QListWidget(), horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        entries.setAccessibleName(name)
        entries.setToolTip(tip)
        return entries

    def _button(self, picture: str, tip: str, run) -> QPushButton:
        button = QPushButton(icon(picture, theme.GREYS.text), "")
        button.setFixedSize(32, 28)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda: run())
        return button

    def open_at(self, corner) -> None:
        """Show the popup with its right upper corner at a global place."""
        self.refresh()
        self.move(corner.x() - self.width(), corner.y())
        self.show()
        self.history.setFocus()

    def refresh(self) -> None:
        """Show takes and history as they are."""
        chosen = self.takes.currentItem().text() if self.takes.currentItem() else ""
        for entries, names in (
            (self.takes, list(self.session.takes)),
            (self.history, [e.label for e in self.session.history.entries]),
        ):
            entries.blockSignals(True)
            if [entries.item(n).text() for n in range(entries.count())] != names:
                entries.clear()
                entries.addItems(names)
            entries.blockSignals(False)
        self.history.blockSignals(True)
        self.history.setCurrentRow(self.session.history.at)
        self.history.blockSignals(False)
        if chosen in self.session.takes:
            self.takes.setCurrentRow(list(self.session.takes).index(chosen))
        self._enable_buttons()

    def _enable_buttons(self) -> None:
        self.buttons["keep"].setEnabled(self.session.engine is not None)
        for name in ("compare", "rename", "drop"):
            self.buttons[name].setEnabled(self.takes.currentItem() is not None)

    def _step(self, number: int) -> None:
        if number >= 0 and number != self.session.history.at:
            self.session.go_to(number)

    def _compare(self) -> None:
        self.compare.set(against=self.takes.currentItem().text())

    def _rename(self) -> None:
        old = self.takes.currentItem().text()
        new, sure = QInputDialog.getText(self.parentWidget(), "Rename the take", "Name:", text=old)
        if sure:
            self.rename(old, new.strip())

    def rename(self, old: str, new: str) -> None:
        """Give a take another name; what is compared with it stays so."""
        self.session.rename_take(old, new)
        if self.compare.now.against == old and new in self.session.takes:
            self.compare.set(against=new)

    def _drop(self) -> None:
        name = self.takes.currentItem().text()
        if self.compare.now.against == name:
            self.compare.set(against=ORIGINAL)
        self.session.drop_take(name)
