"""Windows for the tests: with a picture, without one; a dialog that nobody answers fails instead of waiting."""

from __future__ import annotations

import threading

import pytest
from PyQt6.QtWidgets import QDialog, QFileDialog, QInputDialog
from tests.ui.steer import settle

from dustpan.core.render.store import Stores
from dustpan.core.work.pool import Pool
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.memory import Memory
from dustpan.ui.session.pictures import KeptRoutes
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


@pytest.fixture(scope="session")
def noisy():
    """The bench at ISO 12800, small: what a window does is seen on few pixels too."""
    return noisy_picture("bench", iso=12800, seed=3, size=(384, 256))


@pytest.fixture(scope="session")
def noisy_large():
    """The bench again, of several blocks."""
    return noisy_picture("bench", iso=12800, seed=3, size=(720, 600))


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
    made = Window(Pool(2), Memory(tmp_path / "config" / "window.ini"), KeptRoutes(tmp_path / "routes"))
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
