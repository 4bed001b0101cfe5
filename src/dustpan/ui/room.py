"""Room for the picture: panels that fold away, and the picture alone on the whole screen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QPropertyAnimation, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QGraphicsOpacityEffect, QLabel, QMainWindow, QWidget

from dustpan.ui.memory import Memory
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.edge import Edge

_FOLDED_BY = 40  # px of a drag away from the picture, that fold a panel
_RESTS, _FADES = 1200, 350  # ms until the pointer rests; of the fading
_NATIVE = QKeySequence.SequenceFormat.NativeText


@dataclass(frozen=True, eq=False)
class Panel:
    """A panel beside the picture: its widget, the edge that folds it, the action that does so by key.

    `at_least` returns whether it is as small as it can be: only then a drag folds it.
    """

    name: str
    widget: QWidget
    edge: Edge
    action: QAction
    at_least: Callable[[], bool] = lambda: True


class Room(QObject):
    """Fold panels away one by one, and show the picture alone.

    Parameters
    ----------
    around : what else goes when the picture is shown alone.
    alone : the action that does so.
    keys : actions whose keys are shown then.

    Signals
    -------
    changed : the picture has another room.
    """

    changed = pyqtSignal()

    def __init__(
        self,
        window: QMainWindow,
        canvas: Canvas,
        memory: Memory,
        panels: Sequence[Panel],
        around: Sequence[QWidget],
        alone: QAction,
        keys: Sequence[QAction],
    ):
        super().__init__(window)
        self.window, self.canvas, self.memory = window, canvas, memory
        self.panels = {panel.name: panel for panel in panels}
        self.alone = False
        self._around, self._action = tuple(around), alone
        self._pulled: dict[str, int] = {}  # px by which panels were dragged beyond their least size
        self._state = window.windowState()
        kept = memory.get("folded", [])
        self.folded = {name for name in kept if name in self.panels}
        for panel in panels:
            panel.edge.clicked.connect(lambda _=False, name=panel.name: self.fold(name, name not in self.folded))
            panel.edge.moved.connect(lambda by, name=panel.name: self._drag(name, by))
            panel.action.toggled.connect(lambda on, name=panel.name: self.fold(name, not on))
        alone.toggled.connect(self.show_alone)
        words = [f"{action.shortcut().toString(_NATIVE)}  {action.text().rstrip(' …')}" for action in keys]
        self._keys = _KeyLine(canvas, "      ".join(words))
        self._apply()

    def fold(self, name: str, away: bool) -> None:
        """Fold a panel away, or show it again; it stays so."""
        self._pulled[name] = 0
        folded = self.folded | {name} if away else self.folded - {name}
        if folded != self.folded:
            self.folded = folded
            self.memory.put("folded", sorted(folded))
            self._apply()

    def _drag(self, name: str, by: int) -> None:
        """Fold a panel that is dragged away from the picture as far as it goes, show one that is dragged out."""
        pulled = self._pulled.get(name, 0) + by
        self._pulled[name] = pulled if name in self.folded or self.panels[name].at_least() else 0
        pulled = self._pulled[name]
        if abs(pulled) >= _FOLDED_BY and (pulled > 0) == (name in self.folded):
            self.fold(name, pulled < 0)

    def show_alone(self, on: bool) -> None:
        """Show the picture alone on the whole screen, or everything again."""
        if on == self.alone:
            return
        self.alone = on
        if on:
            self._state = self.window.windowState()
        full = Qt.WindowState.WindowFullScreen
        self.window.setWindowState(self._state | full if on else self._state & ~full)
        self._action.setChecked(on)
        self._keys.watch(on)
        self._apply()

    def _apply(self) -> None:
        for panel in self.panels.values():
            panel.widget.setVisible(not self.alone and panel.name not in self.folded)
            panel.edge.setVisible(not self.alone)
            panel.action.setChecked(panel.name not in self.folded)
        for widget in self._around:
            widget.setVisible(not self.alone)
        self.changed.emit()


class _KeyLine(QObject):
    """A line of keys over the picture that fades in when the pointer rests, while the picture is shown alone."""

    def __init__(self, canvas: Canvas, keys: str):
        super().__init__(canvas)
        self._canvas = canvas
        self.label = configured(QLabel(keys, canvas), objectName="keyline", wordWrap=True)
        self.label.setStyleSheet("background: rgba(20, 22, 23, 190); padding: 6px 14px; border-radius: 6px;")
        self.label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._effect = QGraphicsOpacityEffect(self.label)
        self.label.setGraphicsEffect(self._effect)
        self._fade = QPropertyAnimation(self._effect, b"opacity", self)
        self._fade.setDuration(_FADES)
        self._rest = configured(QTimer(self), singleShot=True, interval=_RESTS)
        self._rest.timeout.connect(self._show)
        self.label.hide()

    def watch(self, on: bool) -> None:
        """Follow the pointer, or leave it."""
        self.label.hide()
        if on:
            self._canvas.installEventFilter(self)
            self._rest.start()
        else:
            self._canvas.removeEventFilter(self)
            self._rest.stop()

    def eventFilter(self, watched, event):
        """Go when the pointer moves, and wait until it rests."""
        if event.type() in (QEvent.Type.MouseMove, QEvent.Type.MouseButtonPress, QEvent.Type.Wheel):
            self.label.hide()
            self._rest.start()
        return False

    def _show(self) -> None:
        label, canvas = self.label, self._canvas
        wanted = label.fontMetrics().horizontalAdvance(label.text()) + 32
        label.setFixedWidth(min(wanted, canvas.width() - 40))
        label.adjustSize()
        label.move((canvas.width() - label.width()) // 2, canvas.height() - label.height() - 28)
        self._effect.setOpacity(0.0)
        label.show()
        label.raise_()
        self._fade.stop()
        self._fade.setStartValue(0.0)
        self._fade.setEndValue(1.0)
        self._fade.start()
