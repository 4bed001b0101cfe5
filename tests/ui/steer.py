"""Steer the window as a user does, and read what it shows."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage


def settle(window, qtbot, *, figures: bool = False):
    """Wait until exact pixels of the newest document are on the screen and the proofs chosen; for figures if asked."""

    def settled() -> bool:
        return window.tiles.settled and bool(window.proofs.items) and (window.readings.settled or not figures)

    qtbot.waitUntil(settled, timeout=30000)


def on_screen(window) -> np.ndarray:
    """What is there exactly, put together, as 8-bit pixels."""
    width, height = window.canvas.size_px
    whole = np.zeros((height, width, 3), np.uint8)
    tiles = window.tiles
    parts = [(piece.area.topLeft(), piece.image) for piece in tiles.strips]
    parts += [(QPoint(key[1] * 512, key[2] * 512), image) for key, image in tiles.exact.items() if key[0] == 0]
    for corner, image in parts:
        image = image.convertToFormat(QImage.Format.Format_RGB888)
        data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
        pixels = data.reshape(image.height(), image.bytesPerLine())[:, : 3 * image.width()]
        y, x = corner.y(), corner.x()
        whole[y : y + image.height(), x : x + image.width()] = pixels.reshape(image.height(), image.width(), 3)
    return whole


def in_view(window, pixels: np.ndarray) -> np.ndarray:
    """The part of a picture that is looked at."""
    area = window.tiles.view.region
    return pixels[area.top() : area.bottom() + 1, area.left() : area.right() + 1]


def propose(window, qtbot):
    with qtbot.waitSignal(window.session.edited, timeout=20000):
        window.route_bar.propose_button.click()
    settle(window, qtbot)


def drag(qtbot, groove, parts):
    """Drag a slider's knob over parts of its length with real mouse events."""
    points = [QPoint(round(5.5 + part * (groove.width() - 11)), 8) for part in parts]
    qtbot.mousePress(groove, Qt.MouseButton.LeftButton, pos=points[0])
    for point in points[1:]:
        qtbot.mouseMove(groove, point)
        qtbot.wait(15)
    qtbot.mouseRelease(groove, Qt.MouseButton.LeftButton, pos=points[-1])


def type_value(qtbot, slider, text):
    """Type a value into a slider's field, and leave it by Return."""
    qtbot.mouseClick(slider.entry, Qt.MouseButton.LeftButton)
    slider.entry.selectAll()
    qtbot.keyClicks(slider.entry, str(text))
    qtbot.keyClick(slider.entry, Qt.Key.Key_Return)


def choose_item(qtbot, choice, index):
    """Choose an item of a list by the arrow keys."""
    choice.setFocus(Qt.FocusReason.TabFocusReason)
    while choice.currentIndex() != index:
        key = Qt.Key.Key_Down if choice.currentIndex() < index else Qt.Key.Key_Up
        qtbot.keyClick(choice, key)
