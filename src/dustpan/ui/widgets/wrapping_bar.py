"""A bar whose groups of widgets go to rows of their own where there is no room for them beside one another."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

_RIM, _GAP = 8, 5  # px: at the sides of the bar, between two widgets
_ONE_ROW = 960  # px, least width at which everything stands in one row


class WrappingBar(QWidget):
    """A bar of three groups, the last one at the right; where one row is too narrow they take two or three."""

    def __init__(self, first: list[QWidget], middle: list[QWidget], last: list[QWidget]):
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._groups = (first, middle, last)
        self._rows = [QHBoxLayout() for _ in self._groups]
        self._laid: tuple[int, ...] = ()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(_RIM, 5, _RIM, 5)
        whole.setSpacing(4)
        for row in self._rows:
            row.setSpacing(_GAP)
            whole.addLayout(row)
        self._lay((0, 0, 0))

    def minimumSizeHint(self) -> QSize:
        """Be as wide as the widest group, whatever stands in the rows now."""
        return QSize(max(self._widths()) + 2 * _RIM, super().minimumSizeHint().height())

    def resizeEvent(self, event):
        """Take another row where there is no room."""
        super().resizeEvent(event)
        self._wrap()

    def event(self, event):
        """Follow texts that become longer or shorter."""
        if event.type() == QEvent.Type.LayoutRequest:
            self._wrap()
        return super().event(event)

    def _widths(self) -> list[int]:
        """Return the width of each group; of labels the least, as rows shall not come and go with what they say."""
        return [
            sum((w.minimumWidth() if isinstance(w, QLabel) else w.sizeHint().width()) + _GAP for w in group)
            for group in self._groups
        ]

    def _wrap(self) -> None:
        first, middle, last = self._widths()
        room = self.width() - 2 * _RIM
        if self.width() >= _ONE_ROW and first + middle + last <= room:
            self._lay((0, 0, 0))
        elif first + last <= room:
            self._lay((0, 1, 0))
        else:
            self._lay((0, 1, 1) if middle + last <= room else (0, 1, 2))

    def _lay(self, rows: tuple[int, ...]) -> None:
        """Put each group into its row."""
        if rows == self._laid:
            return
        self._laid = rows
        for row in self._rows:
            while row.count():
                row.takeAt(0)
        first, middle, last = (self._rows[row] for row in rows)
        for row, widgets in ((first, self._groups[0]), (middle, self._groups[1])):
            for widget in widgets:
                row.addWidget(widget)
        for row in self._rows:
            row.addStretch()
        for widget in self._groups[2]:
            last.addWidget(widget)
