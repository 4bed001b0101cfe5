"""Thousands of real mouse and key events, aimed at everything there is: nothing may crash or change by accident."""

from __future__ import annotations

import os
import random

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QDialog, QFileDialog, QInputDialog, QLineEdit, QWidget
from tests.ui.steer import propose, settle

from dustpan.core.steps import kinds
from dustpan.ui.widgets.choice import Choice

EVENTS = int(os.environ.get("DUSTPAN_EVENTS", "160"))  # random ones in each window; hundreds to look for faults
KEYS = [
    getattr(Qt.Key, f"Key_{name}")
    for name in (
        "H",
        "J",
        "K",
        "L",
        "I",
        "N",
        "B",
        "M",
        "X",
        "T",
        "Comma",
        "Period",
        "0",
        "1",
        "2",
        "4",
        "Left",
        "Right",
        "Up",
        "Down",
        "Tab",
        "Backtab",
        "Escape",
        "Return",
        "Space",
        "Home",
        "End",
        "5",
        "Minus",
        "A",
        "Delete",
        "PageDown",
    )
]
CONTROL = [getattr(Qt.Key, f"Key_{name}") for name in ("Z", "D", "C", "V", "Left", "Right", "Plus")]
NO_KEYS, NO_BUTTONS = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.NoButton


@pytest.fixture
def dialogs_say_no(monkeypatch):
    monkeypatch.setattr(QDialog, "exec", lambda box: 0)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", False))
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *a, **k: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))


class Hand:
    """Sends one random event after another to what is on the screen."""

    def __init__(self, window, qtbot, seed: int):
        self.window, self.qtbot, self.rng = window, qtbot, random.Random(seed)
        self.held: QWidget | None = None

    def strike(self) -> None:
        kind = self.rng.choice(("mouse", "mouse", "mouse", "wheel", "wheel", "key", "key", "key", "control"))
        getattr(self, kind)()

    def _anywhere(self) -> tuple[QWidget, QPoint]:
        root = QApplication.activePopupWidget() or QApplication.activeModalWidget() or self.window
        shown = [w for w in root.findChildren(QWidget) if w.isVisible() and w.width() > 2 and w.height() > 2] or [root]
        widget = self.rng.choice(shown)
        return widget, QPoint(self.rng.randrange(widget.width()), self.rng.randrange(widget.height()))

    def _send(self, kind: QEvent.Type, widget: QWidget, at: QPoint, button, held) -> None:
        place = widget.mapToGlobal(at)
        QApplication.sendEvent(widget, QMouseEvent(kind, QPointF(at), QPointF(place), button, held, NO_KEYS))

    def mouse(self) -> None:
        widget, at = self._anywhere()
        if widget is self.window.controls.foot.blend or self._is_popup_of_blend(widget):
            return
        button = self.rng.choice((Qt.MouseButton.LeftButton,) * 5 + (Qt.MouseButton.MiddleButton,))
        self._send(QEvent.Type.MouseButtonPress, widget, at, button, button)
        if self.rng.random() < 0.4:
            for _ in range(3):
                moved = at + QPoint(self.rng.randrange(-60, 60), self.rng.randrange(-60, 60))
                self._send(QEvent.Type.MouseMove, widget, moved, NO_BUTTONS, button)
                at = moved
        if self.rng.random() < 0.2:
            self._send(QEvent.Type.MouseButtonDblClick, widget, at, button, button)
        self._send(QEvent.Type.MouseButtonRelease, widget, at, button, NO_BUTTONS)

    def _is_popup_of_blend(self, widget: QWidget) -> bool:
        return self.window.controls.foot.blend.view().window().isAncestorOf(widget)

    def wheel(self) -> None:
        widget, at = self._anywhere()
        turn = QPoint(0, self.rng.choice((-120, 120)))
        phase = Qt.ScrollPhase.NoScrollPhase
        place = QPointF(widget.mapToGlobal(at))
        QApplication.sendEvent(
            widget, QWheelEvent(QPointF(at), place, QPoint(), turn, NO_BUTTONS, NO_KEYS, phase, False)
        )

    def _target(self) -> QWidget:
        root = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        return root or self.window.focusWidget() or self.window

    def key(self) -> None:
        target = self._target()
        if isinstance(target, QComboBox) or QApplication.activePopupWidget() is not None:
            self.qtbot.keyClick(target, Qt.Key.Key_Escape)  # reached by Tab, arrows may choose there
            return
        self.qtbot.keyClick(target, self.rng.choice(KEYS))

    def control(self) -> None:
        self.qtbot.keyClick(self._target(), self.rng.choice(CONTROL), Qt.KeyboardModifier.ControlModifier)


def test_hundreds_of_random_events_break_nothing(opened, qtbot, dialogs_say_no):
    propose(opened, qtbot)
    opened.resize(1100, 700)
    hand = Hand(opened, qtbot, seed=1100)
    for number in range(EVENTS):
        hand.strike()
        if number % 25 == 0:
            qtbot.wait(1)
        laws = {step.blend for step in opened.session.route}
        assert laws <= {kinds()[step.kind].default_blend for step in opened.session.route}, "Blending was changed"
    while (popup := QApplication.activePopupWidget() or QApplication.activeModalWidget()) is not None:
        popup.close()
    opened.session.end_drag()
    opened.canvas.let_go()
    opened.compare.set(mode="", holding=False)
    opened.session.tasks.cancel_all()
    settle(opened, qtbot)
    assert not opened.session.tasks.running
    session, left, at = opened.session, opened.session.document, opened.session.history.at
    while session.history.undo_label:
        session.undo()
    while session.history.at < at:
        session.redo()
    assert session.document == left
    settle(opened, qtbot)


def test_every_list_of_every_kind_of_step_is_clicked_through_by_keys(opened, qtbot):
    for kind in [name for name, one in kinds().items() if not one.develops]:
        opened.session.add_step(kind)
        for box in [b for b in opened.controls.findChildren(QComboBox) if b.isVisibleTo(opened.controls)]:
            held = box.currentIndex()
            for _ in range(box.count() + 1):
                box.setFocus()
                qtbot.keyClick(box, Qt.Key.Key_Down)  # the panel is built anew inside the list's own signal
            for _ in range(box.count() + 1):
                qtbot.keyClick(box, Qt.Key.Key_Up)
            assert box.count() and held >= 0
    settle(opened, qtbot)


def test_the_wheel_and_letters_leave_lists_alone_that_have_not_the_focus(opened, qtbot):
    propose(opened, qtbot)
    before = opened.session.document
    for box in opened.findChildren(Choice):
        box.clearFocus()
        at = QPointF(box.rect().center())
        turn = QWheelEvent(
            at,
            QPointF(box.mapToGlobal(at.toPoint())),
            QPoint(),
            QPoint(0, -120),
            NO_BUTTONS,
            NO_KEYS,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(box, turn)
        box.setFocus()
        qtbot.keyClick(box, Qt.Key.Key_S)  # begins the name of a law
    assert opened.session.document == before
    assert not any(edit.hasFocus() for edit in opened.findChildren(QLineEdit))
