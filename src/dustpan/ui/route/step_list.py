"""A list of all steps to search in, with a line of explanation each."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from dustpan.core.steps import kinds
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured

_WIDTH = 390  # px, a step's row


class StepList(QFrame):
    """A popup: type to narrow it down, arrows and Enter or a click to choose."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("steplist")
        self.setFixedSize(_WIDTH + 40, 360)
        self.search = configured(
            QLineEdit(), placeholderText=tr("Search steps: noise, halo, dark …"), clearButtonEnabled=True
        )
        self.search.setAccessibleName(tr("Search steps"))
        self.search.setToolTip(tr("Type to narrow the list down; Enter adds the chosen step."))
        self.list = configured(QListWidget(), horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName(tr("Steps"))
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addWidget(self.search)
        column.addWidget(self.list)
        for kind in kinds().values():
            if kind.develops:  # stands in the route of a raw picture already, exactly once
                continue
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, kind.kind)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{tr(kind.label)}: {tr(kind.help)}")
            row = _row(kind)
            item.setSizeHint(QSize(_WIDTH, max(row.heightForWidth(_WIDTH), row.sizeHint().height())))
            self.list.addItem(item)
            self.list.setItemWidget(item, row)
        self.search.textChanged.connect(self._narrow)
        self.search.returnPressed.connect(lambda: self._choose(self.list.currentItem()))
        self.search.installEventFilter(self)
        self.list.itemClicked.connect(self._choose)

    def open_at(self, corner) -> None:
        """Show the list at a global place, with an empty search."""
        self.search.clear()
        self._narrow("")
        window = self.parentWidget().window()
        edge = window.mapToGlobal(window.rect().topRight()).x() - self.width() - 8
        self.move(min(corner.x(), edge), corner.y())
        self.show()
        self.search.setFocus()

    def _narrow(self, text: str) -> None:
        """Hide what does not hold every word searched for."""
        words = text.lower().split()
        first = None
        for number in range(self.list.count()):
            item = self.list.item(number)
            kind = kinds()[item.data(Qt.ItemDataRole.UserRole)]
            labels = " ".join(tr(d.label) for d in kind.params_type.described().values())
            searched = f"{tr(kind.label)} {tr(kind.stage)} {tr(kind.help)} {labels}".lower()
            item.setHidden(not all(word in searched for word in words))
            if first is None and not item.isHidden():
                first = item
        self.list.setCurrentItem(first)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None and not item.isHidden():
            self.hide()
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))

    def eventFilter(self, watched, event):
        """Let the arrows walk the list while the search has the focus."""
        if event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            number = self.list.currentRow() + step
            while 0 <= number < self.list.count() and self.list.item(number).isHidden():
                number += step
            if 0 <= number < self.list.count():
                self.list.setCurrentRow(number)
            return True
        return super().eventFilter(watched, event)


def _row(kind) -> QWidget:
    row = QWidget()
    column = QVBoxLayout(row)
    column.setContentsMargins(10, 5, 10, 5)
    column.setSpacing(1)
    title = QLabel(f"<b>{tr(kind.label)}</b> &nbsp;<span style='color:{theme.GREYS.faint}'>{tr(kind.stage)}</span>")
    column.addWidget(title)
    column.addWidget(configured(QLabel(tr(kind.help)), objectName="faint", wordWrap=True))
    return row
