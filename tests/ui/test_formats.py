"""A file of each kind in the window, colours of the screen, and files that change behind its back."""

from __future__ import annotations

import os
import subprocess
import threading

import numpy as np
import pytest
from PIL import ImageCms
from PyQt6.QtCore import Qt
from tests.ui.steer import on_screen, propose, settle

from dustpan.core.document.history import Document
from dustpan.core.errors import Cancelled
from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.source import Metadata
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture, save_raw
from dustpan.simulate.scenes import clean_picture, noisy_picture, raw_picture
from dustpan.ui.session import opening

SIZE = (360, 240)


@pytest.fixture(scope="module")
def of_each_kind(tmp_path_factory):
    """A file of each kind that can be opened, all of the same picture."""
    folder = tmp_path_factory.mktemp("kinds")
    source = noisy_picture("bench", iso=800, size=SIZE, dtype=np.uint16)
    engine = Engine(source)
    files = []
    for name, fmt in FORMATS.items():
        if fmt.raw:
            continue
        path = folder / f"{name}{fmt.suffixes[0]}"
        save_picture(path, render_native(engine, engine.plan(Document()), fmt), source.metadata, fmt)
        files.append(path)
    for name, six in (("square", False), ("six", True)):
        files.append(folder / f"{name}.dng")
        save_raw(files[-1], raw_picture("bench", iso=800, size=SIZE, six=six))
    return files


def test_a_file_of_each_kind_is_opened_and_looks_the_same(window, qtbot, of_each_kind):
    expected = clean_picture("bench", size=SIZE, dtype=np.float32).pixels * 255
    for path in of_each_kind:
        with qtbot.waitSignal(window.session.opened, timeout=20000):
            window.open_files([path])
        window.compare.change_appearance(stretch=0.0)  # FITS is stretched for the eye
        window.canvas.set_zoom(1.0)
        settle(window, qtbot)
        assert path.name in window.header.title.text() and "Quillmark Q3" in window.header.title.text()
        shown = on_screen(window).astype(float)
        assert shown.shape == expected.shape, path.name
        assert np.abs(shown - expected).mean() < 12 and abs(shown.mean() - expected.mean()) < 3, path.name


def test_a_mosaic_is_developed_and_stays_so(window, qtbot, of_each_kind):
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files([of_each_kind[-2]])
    settle(window, qtbot)
    propose(window, qtbot)
    kinds = [step.kind for step in window.session.route]
    before = kinds[: kinds.index("develop")]
    assert set(before) <= {"hot_pixels", "banding"} and "noise" in kinds
    window.session.choose("develop")
    window.actions_by_name["remove"].trigger()
    assert [step.kind for step in window.session.route] == kinds and "develop" in window.message.text.text().lower()


def test_a_stretch_for_the_eye_is_taken_into_the_route(window, qtbot, tmp_path):
    path = tmp_path / "night.fits"
    light = decode_curve(clean_picture("bench", size=SIZE, dtype=np.float32).pixels) / 40
    save_picture(path, light.astype(np.float32), Metadata(), FORMATS["fits"])
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files([path])
    qtbot.waitUntil(lambda: window.compare.now.appearance.stretch > 0)
    window.canvas.set_zoom(1.0)
    settle(window, qtbot)
    stretched = on_screen(window)
    assert len(window.session.route) == 0 and window.actions_by_name["stretch"].isChecked()
    stretch = window.compare.now.appearance.stretch
    window.actions_by_name["take_stretch"].trigger()
    settle(window, qtbot)
    assert window.session.route.steps[0].params.stretch == pytest.approx(stretch)
    assert window.compare.now.appearance.stretch == 0
    assert np.abs(on_screen(window).astype(int) - stretched).max() <= 2


def test_a_preview_comes_before_the_picture(window, qtbot, of_each_kind):
    path, seen, go_on = of_each_kind[0], [], threading.Event()

    def read():
        go_on.wait(10)
        return read_picture(path)

    window.session.opening.previewed.connect(lambda found: seen.append((found, window.session.engine)))
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files([path], read=read)
        qtbot.waitUntil(lambda: bool(seen))
        middle = window.canvas.grab().toImage().pixelColor(window.canvas.rect().center())
        go_on.set()
    pixels, size = seen[0][0]
    assert seen[0][1] is None and size == SIZE and pixels.shape[2] == 3
    about = pixels[pixels.shape[0] // 2 - 8 :, pixels.shape[1] // 2 - 8 :][:16, :16].reshape(-1, 3).astype(int)
    assert (about.min(axis=0) - 5 <= middle.getRgb()[:3]).all() and (middle.getRgb()[:3] <= about.max(axis=0) + 5).all()


def test_the_monitors_profile_is_used_and_a_bad_one_is_told(opened, qtbot, tmp_path):
    plain = on_screen(opened).astype(int)
    bad, good = tmp_path / "bad.icc", tmp_path / "good.icc"
    bad.write_bytes(b"no profile at all")
    opened.display.set_monitor(bad)
    assert "bad.icc" in opened.message.text.text() and opened.tiles.monitor == b""
    good.write_bytes(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    opened.display.set_monitor(good)
    settle(opened, qtbot)
    assert opened.tiles.monitor and np.abs(on_screen(opened).astype(int) - plain).max() <= 2
    opened.display.set_monitor(None)
    assert opened.tiles.monitor == b"" and not opened.actions_by_name["no_monitor"].isVisible()


def test_a_file_that_changes_or_goes_is_told_and_read_again_with_the_route(window, qtbot, tmp_path):
    path = tmp_path / "render.png"
    first, second = (noisy_picture("bench", iso=3200, size=SIZE, seed=seed) for seed in (1, 2))
    save_picture(path, first.pixels, first.metadata, FORMATS["png"])
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files([path])
    settle(window, qtbot)
    propose(window, qtbot)
    document = window.session.document
    save_picture(path, second.pixels, second.metadata, FORMATS["png"], overwrite=True)
    os.utime(path, ns=(1, 1))
    qtbot.waitUntil(lambda: "render.png has changed" in window.message.text.text(), timeout=5000)
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        qtbot.keyClick(window, Qt.Key.Key_F5)
    settle(window, qtbot)
    assert np.array_equal(window.session.engine.source.pixels, second.pixels)
    assert window.session.document is document and window.session.history.undo_label == "Propose a route"
    path.unlink()
    qtbot.waitUntil(lambda: "no longer at" in window.message.text.text(), timeout=5000)
    target = tmp_path / "kept.png"
    with qtbot.waitSignal(window.session.exporting.saved, timeout=20000):
        window.session.exporting.export(target, "png", quality=90, overwrite=False)
    assert target.exists() and window.session.document != Document()


def test_compiling_ends_at_once_when_it_is_cancelled(monkeypatch):
    started = []

    class Watched(subprocess.Popen):
        def __init__(self, command, **rest):
            super().__init__([command[0], "-c", "import time; time.sleep(60)"], **rest)
            started.append(self)

    monkeypatch.setattr(opening.subprocess, "Popen", Watched)
    token = Token()
    token.cancel()
    with pytest.raises(Cancelled):
        opening._compile_kernels(token)
    assert started[0].wait(timeout=5) != 0
