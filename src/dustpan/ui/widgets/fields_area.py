"""Fields one below the other, whole where the window has room for them, else to be scrolled."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

_LEAST = 96  # px: height of what is shown in the lowest window


class FieldsArea(QScrollArea):
    """Hold a widget of fields and ask for all its height; as wide as its fields need."""

    def __init__(self, fields: QWidget) -> None:
        super().__init__()
        self._fields = fields
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(fields)

    def sizeHint(self) -> QSize:
        """Return the size that shows all fields."""
        return self._with_bar(self._fields.sizeHint())

    def minimumSizeHint(self) -> QSize:
        """Return the least size: all the width, little of the height."""
        least = self._with_bar(self._fields.minimumSizeHint())
        return QSize(least.width(), min(least.height(), _LEAST))

    def event(self, event: QEvent | None) -> bool:
        """Pass on that fields have grown: a scroll area keeps that to itself."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().event(event)

    def _with_bar(self, size: QSize) -> QSize:
        return size + QSize(self.verticalScrollBar().sizeHint().width(), 0)
