"""Room for the picture: panels that fold away, the picture alone, and what stays of it."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from tests.ui.steer import settle

from dustpan.core.work.pool import Pool
from dustpan.ui.memory import Memory
from dustpan.ui.window import Window

LEFT = Qt.MouseButton.LeftButton
FOLDS = {"controls": Qt.Key.Key_F6, "strip": Qt.Key.Key_F7, "route": Qt.Key.Key_F8}


def share(window) -> float:
    """The share of the window that the whole picture takes."""
    window.canvas.fit()
    picture = window.canvas.picture_rect()
    return picture.width() * picture.height() / (window.width() * window.height())


def panel(window, name):
    return window.room.panels[name]


@pytest.mark.parametrize("name", FOLDS)
def test_a_panel_folds_by_its_key_a_click_and_a_drag_and_stays_folded(opened, qtbot, name, tmp_path):
    own, before = panel(opened, name), share(opened)
    qtbot.keyClick(opened, FOLDS[name])
    qtbot.waitUntil(lambda: not own.widget.isVisible() and not own.action.isChecked())
    qtbot.mouseClick(own.edge, LEFT)
    qtbot.waitUntil(lambda: own.widget.isVisible() and own.action.isChecked())
    if name == "strip":
        opened.proof_strip.set_height(96)
    away = QPoint(-90, 0) if name == "controls" else QPoint(0, 90 if name == "strip" else -90)
    for way in (away, -away):
        middle = own.edge.rect().center()
        qtbot.mousePress(own.edge, LEFT, pos=middle)
        qtbot.mouseMove(own.edge, middle + way)
        qtbot.mouseRelease(own.edge, LEFT, pos=middle + way)
        assert own.widget.isVisible() is (way == -away)
    own.edge.clicked.emit()
    assert share(opened) >= before - 0.01
    again = Window(Pool(2), Memory(tmp_path / "config" / "window.ini"))
    qtbot.addWidget(again)
    assert again.room.folded == {name} and panel(again, name).widget.isHidden()
    again.close()


def test_the_picture_has_room_when_it_is_asked_for(opened_large, qtbot):
    opened_large.resize(1280, 800)
    qtbot.waitUntil(lambda: opened_large.width() == 1280)
    for name in FOLDS:
        panel(opened_large, name).edge.clicked.emit()
    qtbot.waitUntil(lambda: share(opened_large) > 0.45)
    settle(opened_large, qtbot)


def test_the_picture_alone_is_steered_by_keys_and_left_by_escape(opened, qtbot):
    opened.session.add_step("noise")
    qtbot.keyClick(opened, Qt.Key.Key_F11)
    room = opened.room
    hidden = (opened.menuBar(), opened.header, opened.findings, opened.controls, opened.route_bar, opened.proof_strip)
    assert room.alone and opened.isFullScreen() and not any(widget.isVisible() for widget in hidden)
    qtbot.keyClick(opened, Qt.Key.Key_2)
    assert opened.canvas.zoom == 2
    qtbot.keyClick(opened, Qt.Key.Key_X)
    assert not opened.session.step.on
    qtbot.keyClick(opened, Qt.Key.Key_J)
    assert opened.compare.now.mode == "wipe"
    line = room._keys.label
    qtbot.waitUntil(line.isVisible, timeout=4000)
    assert "F11" in line.text() and line.width() <= opened.canvas.width()
    qtbot.mouseMove(opened.canvas, QPoint(40, 40))
    assert not line.isVisible()
    qtbot.keyClick(opened, Qt.Key.Key_Escape)
    assert not room.alone and not opened.isFullScreen() and all(widget.isVisible() for widget in hidden)
    settle(opened, qtbot)


def test_a_maximised_window_is_maximised_again(window, qtbot, tmp_path):
    window.setWindowState(Qt.WindowState.WindowMaximized)
    qtbot.waitUntil(window.isMaximized)
    window.close()
    again = Window(Pool(2), Memory(tmp_path / "config" / "window.ini"))
    qtbot.addWidget(again)
    assert again.windowState() & Qt.WindowState.WindowMaximized
    again.close()


def test_proofs_and_readings_take_turns_in_a_narrow_window(opened, qtbot):
    strip = opened.proof_strip.parentWidget()
    opened.resize(1280, 800)
    qtbot.waitUntil(lambda: strip.width() == 1280)
    assert opened.proof_strip.isVisible() and opened.readings.isVisible() and not strip.turn.isVisible()
    opened.resize(900, 600)
    qtbot.waitUntil(lambda: strip.width() == 900)
    assert opened.proof_strip.isVisible() and not opened.readings.isVisible()
    qtbot.mouseClick(strip.turn, LEFT)
    assert not opened.proof_strip.isVisible() and opened.readings.isVisible() and "proofs" in strip.turn.text()
    settle(opened, qtbot)
