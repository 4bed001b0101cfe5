"""The tasks under way in the header: a word, a bar and a way out for each."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from dustpan.ui.session.tasks import Task, Tasks
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.icons import icon

_SHOWN = 2  # tasks that have a line of their own; more are counted
_LONGEST = 34  # letters of a text


class _Line(QWidget):
    """One task."""

    def __init__(self):
        super().__init__()
        self._task: Task | None = None
        self.label = configured(QLabel(), objectName="faint")
        self.bar = configured(QProgressBar(), textVisible=False)
        self.bar.setFixedWidth(84)
        self.stop = configured(QPushButton(icon("close", theme.GREYS.text), ""), objectName="quiet")
        self.stop.setFixedSize(26, 26)
        self.stop.clicked.connect(self._cancel)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for widget in (self.label, self.bar, self.stop):
            row.addWidget(widget, 0, Qt.AlignmentFlag.AlignVCenter)

    def _cancel(self) -> None:
        if self._task is not None:
            self._task.cancel()

    def show_task(self, task: Task, more: int) -> None:
        """Show a task, and how many more there are."""
        self._task = task
        text = task.text if len(task.text) <= _LONGEST else task.text[: _LONGEST - 1] + "…"
        words = [text, task.time_left, tr("and {more} more", more=more) if more else ""]
        self.label.setText(", ".join(word for word in words if word))
        self.label.setToolTip(task.text)
        self.bar.setRange(0, 0 if task.share < 0 else 100)
        self.bar.setAccessibleName(task.text)
        if task.share >= 0:
            self.bar.setValue(round(task.share * 100))
        self.stop.setToolTip(tr("Cancel: {task}. Everything stays as it was (Esc cancels the newest)", task=task.text))
        self.stop.setAccessibleName(tr("Cancel: {task}", task=task.text))


class TaskBar(QWidget):
    """Show what `Tasks` has under way, the newest first."""

    def __init__(self, tasks: Tasks, parent: QWidget | None = None):
        super().__init__(parent)
        self.tasks = tasks
        self.lines = [_Line() for _ in range(_SHOWN)]
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(10)
        for line in self.lines:
            row.addWidget(line)
        tasks.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the tasks as they are."""
        newest = self.tasks.running[::-1]
        for number, line in enumerate(self.lines):
            line.setVisible(number < len(newest))
            if number < len(newest):
                last = number == _SHOWN - 1
                line.show_task(newest[number], max(len(newest) - _SHOWN, 0) if last else 0)

    def cancel_newest(self) -> bool:
        """Cancel the task that was begun last; returns whether there was one."""
        if not self.tasks.running:
            return False
        self.tasks.running[-1].cancel()
        return True
