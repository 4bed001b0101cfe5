"""Correcting what a Mend step has found, by hand, in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QPushButton
from tests.ui.steer import settle

from dustpan.core.picture.source import Metadata
from dustpan.core.steps.finding import Finding
from dustpan.files import read_picture
from dustpan.files.profiles import profile_path
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.camera import Settings
from dustpan.simulate.iso_ladder import ladder_picture
from dustpan.simulate.scenes import camera_notes

HOT = [(60, 40), (150, 100), (220, 60), (300, 200), (330, 30), (40, 210)]


@pytest.fixture
def specked(tmp_path):
    """A grey picture with six hot pixels and a purple patch, taken by the made-up camera."""
    picture = 110 + np.random.default_rng(5).normal(0, 3, (256, 384, 3))
    for x, y in HOT:
        picture[y, x] = 240
    picture[150:200, 100:160] = (150, 60, 190)
    path = tmp_path / "night.png"
    save_picture(path, np.clip(np.rint(picture), 0, 255).astype(np.uint8), camera_notes(Settings()), FORMATS["png"])
    return path


def opened(window, qtbot, path):
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files([path])
    settle(window, qtbot)
    qtbot.waitUntil(lambda: window.findings.faults is not None, timeout=20000)


def click(window, qtbot, x, y, button=Qt.MouseButton.LeftButton):
    corner, zoom = window.canvas.picture_rect().topLeft(), window.canvas.zoom
    qtbot.mouseClick(window.canvas, button, pos=corner + QPoint(round((x + 0.5) * zoom), round((y + 0.5) * zoom)))


def test_a_click_on_a_mark_spares_it_and_the_other_button_adds_a_place(window, qtbot, specked):
    opened(window, qtbot, specked)
    window.session.add_step("hot_pixels")
    settle(window, qtbot)
    click(window, qtbot, 250, 150, Qt.MouseButton.RightButton)  # what is found is shown first
    assert window.findings.marked == "hot_pixels" and not window.session.step.params.added
    window.findings.mark("hot_pixels", False)
    click(window, qtbot, *HOT[1])  # without marks a click looks closer, as ever
    assert not window.session.step.params.spared
    window.canvas.fit()
    window.findings.mark("hot_pixels", True)
    click(window, qtbot, *HOT[1])
    click(window, qtbot, 250, 150, Qt.MouseButton.RightButton)
    settle(window, qtbot)
    params = window.session.step.params
    assert len(params.spared) == len(params.added) == 1
    assert params.spared[0] == pytest.approx((150.5 / 384, 100.5 / 256))
    assert params.added[0] == pytest.approx((250.5 / 384, 150.5 / 256), abs=0.01)
    shown = [label.text() for key in ("spared", "added") for label in window.controls.fields[key].findChildren(QLabel)]
    assert shown == ["Spared: 1", "Added: 1"]
    click(window, qtbot, *HOT[1])  # once more takes it back
    assert window.session.step.params.spared == ()
    window.actions_by_name["undo"].trigger()
    assert len(window.session.step.params.spared) == 1


def test_a_hue_is_taken_from_the_picture_with_a_click(window, qtbot, specked):
    opened(window, qtbot, specked)
    window.session.add_step("fringe")
    settle(window, qtbot)
    window.controls.picked.emit("hue")
    click(window, qtbot, 130, 175)
    step = window.session.step
    assert step.kind == "fringe" and step.params.hue == pytest.approx(281, abs=4) and not step.params.auto
    window.controls.picked.emit("hue")
    window.canvas.let_go()
    click(window, qtbot, 20, 20)
    assert window.session.step.params.hue == step.params.hue


def test_hot_pixels_are_learned_from_dark_frames(window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    dark = np.full((256, 384, 3), 3, np.uint8)
    for x, y in HOT:
        dark[y, x] = 200
    path = tmp_path / "dark.png"
    save_picture(path, dark, camera_notes(Settings()), FORMATS["png"])
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *args: ([str(path)], ""))
    window.actions_by_name["learn"].trigger()
    qtbot.waitUntil(lambda: "6 hot pixels" in window.message.text.text(), timeout=20000)
    assert profile_path("Quillmark Q3").exists()
    save_picture(path.with_name("plain.png"), dark, Metadata(), FORMATS["png"])
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *args: ([str(path.with_name("plain.png"))], ""))
    window.actions_by_name["learn"].trigger()
    qtbot.waitUntil(lambda: "which camera" in window.message.text.text(), timeout=20000)


def test_a_bare_place_is_dragged_on_the_picture_and_the_noise_measured_there(window, qtbot, specked):
    opened(window, qtbot, specked)
    window.session.add_step("noise")
    settle(window, qtbot)
    words = {button.text(): button for button in window.controls.fields["bare"].findChildren(QPushButton)}
    corner, zoom = window.canvas.picture_rect().topLeft(), window.canvas.zoom
    ends = [corner + QPoint(round(x * zoom), round(y * zoom)) for x, y in ((170, 110), (270, 190))]

    def drag_place(there):
        words["mark"].click()
        qtbot.mousePress(window.canvas, Qt.MouseButton.LeftButton, pos=ends[0])
        qtbot.mouseMove(window.canvas, there)
        qtbot.mouseRelease(window.canvas, Qt.MouseButton.LeftButton, pos=there)

    drag_place(ends[0] + QPoint(6, 6))
    assert not window.session.step.params.bare and "16 px" in window.message.text.text()
    with qtbot.waitSignal(window.session.pointed):
        drag_place(ends[1])
    settle(window, qtbot)
    assert window.session.step.params.bare[0] == pytest.approx((170 / 384, 110 / 256, 270 / 384, 190 / 256), abs=0.02)
    assert window.session.step.params.auto and window.session.engine.bare == window.session.step.params.bare
    assert window.controls.fields["over_tone"].before is not None
    click(window, qtbot, 220, 150, Qt.MouseButton.RightButton)
    assert not window.session.step.params.bare and not window.session.engine.bare
    window.actions_by_name["undo"].trigger()
    words["clear"].click()
    settle(window, qtbot)
    assert not window.session.step.params.bare and window.controls.fields["over_tone"].before is None


def test_a_doubtful_finding_asks_for_a_bare_place(window, qtbot, specked):
    opened(window, qtbot, specked)
    window.findings.faults = [Finding("noise", "noise about 9 levels", 9.0, "noise", unsure=True)]
    window.findings.refresh()
    chip = window.findings._chips[0]
    chip.show_bare.click()
    assert window.session.step.kind == "noise" and "Drag a rectangle" in window.message.text.text()


def test_a_camera_s_noise_is_measured_drawn_and_kept(window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr("platformdirs.user_data_dir", lambda name: str(tmp_path / "data"))
    for iso in (800, 6400):
        shot = ladder_picture(iso, size=(300, 200))
        save_picture(tmp_path / f"{iso}.png", shot.pixels, shot.metadata, FORMATS["png"])
    (tmp_path / "odd.png").write_bytes(b"no picture")
    window.actions_by_name["learn_noise"].trigger()
    learning = window.beside.camera_noise
    assert not learning.keep_button.isEnabled()
    learning.measure(sorted(tmp_path.glob("*.png")))
    qtbot.waitUntil(lambda: len(learning.shots) == 2, timeout=30000)
    assert "odd.png" in learning.note.text() and "ISO 800:" in learning.plot.accessibleDescription()
    learning.keep_button.click()
    assert "Kept in" in learning.note.text() and read_picture(tmp_path / "800.png").camera_noise is not None
