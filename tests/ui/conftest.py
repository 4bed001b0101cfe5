"""Windows for the tests: with a picture, without one; a dialog that nobody answers fails instead of waiting."""

from __future__ import annotations

import threading

import cv2
import numpy as np
import pytest
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog
from tests.ui.steer import settle

from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.core.render.store import Stores
from dustpan.core.work.pool import Pool
from dustpan.files.save import FORMATS, save_picture
from dustpan.files.shelf import Shelf
from dustpan.simulate.camera import Settings, take_photograph
from dustpan.simulate.scenes import load_truth, noisy_picture
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.widgets import theme
from dustpan.ui.window import Window


@pytest.fixture(autouse=True)
def no_dialog_waits(monkeypatch):
    def refuse(*args, **rest):
        raise AssertionError("a dialog was opened that the test does not answer")

    for name in ("getOpenFileName", "getOpenFileNames", "getSaveFileName", "getExistingDirectory"):
        monkeypatch.setattr(QFileDialog, name, refuse)
    monkeypatch.setattr(QInputDialog, "getText", refuse)
    monkeypatch.setattr(QDialog, "exec", refuse)


def part_of_bench(x: int, y: int, width: int, height: int) -> Source:
    """A part as a soft lens draws it, so that sharpening is proposed."""
    whole = noisy_picture("bench", iso=12800, seed=3, size=(384, 256))
    light = cv2.GaussianBlur(load_truth("bench")[y : y + height, x : x + width], (0, 0), 1.2)
    working = take_photograph(light, Settings(iso=12800), seed=3)
    return Source(from_working(working, dtype=np.uint8), name=whole.name, metadata=whole.metadata)


@pytest.fixture(scope="session")
def noisy():
    """A part of the bench at ISO 12800: what a window does is seen on few pixels too."""
    return part_of_bench(1300, 300, 384, 256)


@pytest.fixture(scope="session")
def noisy_large():
    """A part of several blocks."""
    return part_of_bench(1300, 300, 720, 600)


@pytest.fixture(scope="session")
def picture_file(tmp_path_factory, noisy):
    path = tmp_path_factory.mktemp("ui") / "night.png"
    save_picture(path, noisy.pixels, noisy.metadata, FORMATS["png"])
    return path


@pytest.fixture(scope="session")
def themed(qapp):
    theme.apply(qapp)


@pytest.fixture(scope="session")
def stores():
    """Shared by the windows of all tests, so that what shows at opening is computed once."""
    return Stores.of(1 << 28)


@pytest.fixture
def window(qtbot, tmp_path, themed, stores):
    memory, kept = Memory(tmp_path / "config" / "window.ini"), KeptWork(tmp_path / "routes")
    made = Window(Pool(2), memory, kept, Shelf(tmp_path / "remedies"))
    made.session.stores = stores
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close()
    assert not [t for t in threading.enumerate() if t.name.startswith("dustpan")]


@pytest.fixture
def opened_large(window, qtbot, noisy_large):
    """A window with a picture of several blocks."""
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open_from(lambda: noisy_large, "night.png")
    settle(window, qtbot)
    return window


@pytest.fixture
def opened(window, qtbot, picture_file):
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open(picture_file)
    settle(window, qtbot)
    return window
