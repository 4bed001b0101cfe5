"""The header: opening, what is shown, the work under way, undo and redo, takes, export."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from dustpan.ui.session.session import Session
from dustpan.ui.task_bar import TaskBar
from dustpan.ui.translation import tr
from dustpan.ui.widgets.configured import configured

_JOINED = "   ·   "


class Header(QWidget):
    """Show what is open, and the buttons that act on the whole of it."""

    def __init__(self, session: Session, actions: dict[str, QAction]):
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self._told: list[str] = []
        self.title = configured(QLabel(), objectName="faint", alignment=Qt.AlignmentFlag.AlignCenter)
        self.title.setMinimumWidth(80)
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.task_bar = TaskBar(session.tasks)
        self.states_button = button_of(actions["states"], tr("Takes"))
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(button_of(actions["open"]))
        row.addWidget(button_of(actions["combine"], tr("Frames")))
        row.addWidget(button_of(actions["batch"]))
        row.addWidget(self.title, 1)
        row.addWidget(self.task_bar)
        for name in ("undo", "redo"):
            row.addWidget(button_of(actions[name]))
        row.addWidget(self.states_button)
        row.addWidget(button_of(actions["export"]))

    def add_last(self, button: QPushButton) -> None:
        """Put a button at the right end."""
        row = self.layout()
        assert row is not None
        row.addWidget(button)
        button.show()

    def refresh(self, position: str) -> None:
        """Show the picture's facts; `position` says which of several it is."""
        self._told = [fact for fact in self._facts(position) if fact]
        self._show_title()

    def resizeEvent(self, event):
        """Say as much as there is room for."""
        super().resizeEvent(event)
        row = self.layout()
        assert row is not None
        row.activate()  # the title's own width follows only after this event
        self._show_title()

    def _show_title(self) -> None:
        """Show the name and as many facts as there is room for; all of them stand in the tip."""
        facts, room, measures = list(self._told), self.title.width() - 4, self.title.fontMetrics()
        while len(facts) > 1 and measures.horizontalAdvance(_JOINED.join(facts)) > room:
            facts.pop()
        text = measures.elidedText(_JOINED.join(facts), Qt.TextElideMode.ElideMiddle, room)
        mark = tr("\n● marks a route that was changed and not exported or saved") if self.session.changed else ""
        self.title.setText(text)
        self.title.setToolTip(_JOINED.join(self._told) + mark if self._told else "")

    def _facts(self, position: str) -> list[str]:
        if self.session.engine is None:
            return []
        source = self.session.engine.source
        return [
            ("● " if self.session.changed else "") + source.name,
            position,
            source.metadata.camera,
            tr("ISO {iso}", iso=source.metadata.iso) if source.metadata.iso else "",
            source.metadata.exposure,
            tr("{megapixels:.1f} MP", megapixels=source.width * source.height / 1000000.0),
        ]

    def show_below_states(self, show: Callable[[QPoint], None]) -> None:
        """Show something under the button of the takes; `show` takes the global position of its corner."""
        show(self.states_button.mapToGlobal(self.states_button.rect().bottomRight() + QPoint(0, 4)))


def button_of(action: QAction, text: str | None = None) -> QPushButton:
    """Return a button that does what an action does and shares its state."""
    button = QPushButton(text or action.text().rstrip(" …"))
    key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
    button.setToolTip(f"{action.toolTip()} ({key})")
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    button.setCheckable(action.isCheckable())
    button.clicked.connect(lambda: action.trigger())
    action.toggled.connect(button.setChecked)
    action.enabledChanged.connect(button.setEnabled)
    return button
