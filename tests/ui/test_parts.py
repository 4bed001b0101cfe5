"""Single parts of the window, without a picture where none is needed."""

from __future__ import annotations

import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColorSpace, QImage
from PyQt6.QtWidgets import QWidget

from dustpan.core.document.history import Document
from dustpan.core.document.params import Param
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import DustpanError, PictureError
from dustpan.core.picture.source import Source
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.ui.app import start
from dustpan.ui.memory import Memory
from dustpan.ui.picture.screen import Appearance, Screen, read_profile
from dustpan.ui.picture.tiles import Tiles, _strips
from dustpan.ui.picture.view import Subject, View, level_for
from dustpan.ui.session.jobs import Jobs
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.messages import Message
from dustpan.ui.widgets.sliders import NumberSlider
from dustpan.ui.widgets.tone_plot import TonePlot

AMOUNT = Param("Amount", 20.0, "More is more.", unit="%", low=-50.0, high=150.0, step=5.0)


@pytest.fixture
def session(qtbot):
    jobs = Jobs(Pool(2))
    made = Session(jobs)
    yield made
    made.tasks.cancel_all()
    jobs.close()


def grey(value: int = 120) -> Source:
    return Source(np.full((60, 80, 3), value, np.uint8), name="grey.png")


def opened(session, qtbot, source=None):
    with qtbot.waitSignal(session.opened, timeout=5000):
        session.opening.open_from(lambda: source or grey(), "grey.png")
    return session


def test_a_drag_is_one_entry_and_an_idle_drag_is_none(session, qtbot):
    opened(session, qtbot)
    session.add_step("sharpen")
    start_entries, edits = len(session.history.entries), []
    session.edited.connect(edits.append)
    for amount in (10.0, 20.0, 30.0):
        step = session.step
        session.change_step(_with(step, amount=amount), "Sharpen: amount", dragging=True)
    assert len(session.history.entries) == start_entries and session.step.params.amount == 30.0
    session.change_step(_with(session.step, amount=30.0), "Sharpen: amount")
    assert len(session.history.entries) == start_entries + 1 and edits == [True, True, True, False]
    session.change_step(_with(session.step, amount=99.0), "Sharpen: amount", dragging=True)
    session.change_step(_with(session.step, amount=30.0), "Sharpen: amount")
    assert len(session.history.entries) == start_entries + 1 and edits[-2:] == [True, False]


def _with(step, **values):
    from dataclasses import replace

    return replace(step, params=replace(step.params, **values))


def test_the_choice_stays_on_a_step_that_is_there(session, qtbot):
    opened(session, qtbot)
    for kind in ("noise", "sharpen"):
        session.add_step(kind)
    session.undo()
    assert session.chosen_id == "noise"
    session.undo()
    assert session.chosen_id is None and session.step is None
    session.redo()
    session.redo()
    assert [s.kind for s in session.route] == ["noise", "sharpen"]
    session.rename_step("noise", "  Calm ")
    session.rename_step("noise", "Calm")
    assert session.history.undo_label == "Rename Noise" and session.route.find("noise").name == "Calm"


def test_steps_land_where_their_stage_stands():
    route = Route(tuple(new_step(kind, kind) for kind in ("exposure", "sharpen")))
    assert [route.index_for(kind) for kind in ("hot_pixels", "exposure", "noise", "sharpen")] == [0, 1, 1, 2]
    turned = Route(tuple(new_step(kind, kind) for kind in ("sharpen", "noise")))
    assert turned.index_for("noise") == 2


def test_a_newer_opening_wins_and_a_failed_one_says_so(session, qtbot):
    opened(session, qtbot)

    def fail():
        raise PictureError("x.png: the file is empty.")

    with qtbot.waitSignal(session.told, timeout=5000) as told:
        session.opening.open_from(fail, "x.png")
    assert told.args == ["x.png: the file is empty.", True] and session.engine.source.name == "grey.png"
    session.opening.open_from(lambda: grey(1), "first.png")
    with qtbot.waitSignal(session.opened, timeout=5000):
        session.opening.open_from(lambda: grey(2), "second.png")
    qtbot.wait(50)
    assert session.engine.source.pixels[0, 0, 0] == 2


def test_results_of_cancelled_jobs_are_dropped(qtbot):
    jobs, got = Jobs(Pool(1)), []
    token, other = Token(), Token()
    jobs.run(lambda: "late", got.append, priority=0, token=token)
    token.cancel()
    jobs.run(lambda: "kept", got.append, priority=0, token=other)
    qtbot.waitUntil(lambda: got == ["kept"], timeout=3000)
    with qtbot.waitSignal(jobs.failed, timeout=3000) as failed:
        jobs.conduct(lambda: (_ for _ in ()).throw(DustpanError("no")), got.append, token=Token())
    assert str(failed.args[0]) == "no" and got == ["kept"]
    jobs.close()


def test_a_slider_knows_ticks_ends_and_signs(qtbot):
    slider = NumberSlider(AMOUNT)
    qtbot.addWidget(slider)
    slider.resize(240, 40)
    slider.show()
    changes = []
    for signal in (slider.changed, slider.nudged):
        signal.connect(changes.append)
    slider.show_value(0.0, measured=50.0)
    assert slider.entry.text() == "0 %" and slider.groove.tick == 0.5 and slider.groove.rest == 0.25
    for key in (Qt.Key.Key_End, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_Left, Qt.Key.Key_Up):
        qtbot.keyClick(slider.groove, key)
    assert changes == [150.0, 150.0, -50.0, -50.0, -45.0]
    qtbot.mouseDClick(slider.groove, Qt.MouseButton.LeftButton)
    assert changes[-1] == 50.0  # the proposal
    slider.show_value(30.0)
    qtbot.mouseDClick(slider.groove, Qt.MouseButton.LeftButton)
    assert changes[-1] == AMOUNT.default
    qtbot.keyClick(slider.groove, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert slider.entry.text() == "21 %"
    whole = NumberSlider(Param("Luminance", 60.0, "Part.", unit="%", low=0.0, high=100.0, step=1.0))
    qtbot.addWidget(whole)
    qtbot.keyClick(whole.groove, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert whole.entry.text() == "60.2 %"  # a fine step shows
    assert "More is more." in slider.groove.toolTip() and slider.groove.accessibleName() == "Amount"


def test_the_plot_keeps_factors_in_their_range(qtbot):
    plot = TonePlot(Param("Over tone", (1.0,) * 5, "Per tone.", low=0.0, high=2.0, step=0.05, length=5))
    qtbot.addWidget(plot)
    plot.resize(250, 80)
    plot.show()
    got = []
    for signal in (plot.changed, plot.nudged):
        signal.connect(got.append)
    plot.show_noise(np.linspace(0.08, 0.02, 17), 0.5, (1.0,) * 5)
    top = plot._handle(0)
    qtbot.mousePress(plot, Qt.MouseButton.LeftButton, pos=top.toPoint())
    qtbot.mouseMove(plot, QPoint(9, -400))
    qtbot.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(9, -400))
    assert got[-1] == (2.0, 1.0, 1.0, 1.0, 1.0)
    qtbot.mouseDClick(plot, Qt.MouseButton.LeftButton, pos=plot._handle(0).toPoint())
    assert got[-1] == (1.0,) * 5


def test_a_message_stays_when_it_is_harm_and_never_takes_the_focus(qtbot):
    parent = QWidget()
    qtbot.addWidget(parent)
    parent.resize(600, 300)
    parent.show()
    message = Message(parent)
    message._timer.setInterval(30)
    message.tell("Saved.", False)
    qtbot.waitUntil(lambda: not message.isVisible(), timeout=2000)
    message.tell("broken.png: damaged.", True)
    qtbot.wait(80)
    assert message.isVisible() and not message.hasFocus() and parent.rect().contains(message.geometry())


def test_memory_forgets_nothing_sound_and_bears_what_is_broken(tmp_path):
    path = tmp_path / "a" / "window.ini"
    memory = Memory(path)
    memory.add_recent([tmp_path / f"{n}.png" for n in range(20)])
    memory.add_recent([tmp_path / "7.png"])
    assert len(Memory(path).recent) == 12 and Memory(path).recent[0].endswith("7.png")
    assert Memory(path).get("recent", "text") == "text"
    path.write_text("[1, 2]")
    assert Memory(path).recent == []
    blocked = Memory(tmp_path / "a" / "window.ini" / "under-a-file.json")
    blocked.put("size", [1, 2])
    assert blocked.get("size", []) == [1, 2]
    assert Memory().recent == []


def test_levels_are_at_least_as_fine_as_the_screen():
    assert [level_for(z) for z in (8.0, 1.0, 0.99, 0.5, 0.49, 0.25, 0.1)] == [0, 0, 0, 1, 1, 2, 3]


def test_profiles_reach_the_screen():
    wide = bytes(QColorSpace(QColorSpace.NamedColorSpace.DisplayP3).iccProfile())
    assert read_profile(b"") is None and read_profile(b"no profile") is None
    red = np.zeros((4, 4, 3), np.float32)
    red[..., 0], red[..., 1] = 0.8, 0.4
    plain, converted = Screen().show(red, Appearance()), Screen(read_profile(wide)).show(red, Appearance())
    there_and_back = Screen(read_profile(wide), read_profile(wide)).show(red, Appearance())
    assert there_and_back == plain
    assert plain.pixelColor(1, 1).red() == 204
    assert converted.pixelColor(1, 1).red() > 208 and converted.pixelColor(1, 1).green() < 102


def test_without_a_display_the_window_says_what_to_do(monkeypatch):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    with pytest.raises(DustpanError, match="dustpan process"):
        start([])
    monkeypatch.setattr("dustpan.ui.app.shutil.which", lambda name: None)
    with pytest.raises(DustpanError, match="xvfb"):
        start([], scene="bench")
    hidden = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run([sys.executable, "-m", "dustpan"], env=hidden, capture_output=True, text=True, check=False)
    assert done.returncode == 1 and "no display" in done.stderr and "Traceback" not in done.stderr


@given(
    st.integers(0, 3),
    st.integers(0, 900),
    st.integers(0, 700),
    st.integers(1, 900),
    st.integers(1, 700),
    st.integers(1, 8),
)
@settings(max_examples=60, deadline=None)
def test_strips_cover_a_view_once_on_whole_steps(level, left, top, width, height, cores):
    size = (1000, 800)
    view = QRect(left, top, width, height).intersected(QRect(0, 0, *size))
    reduced = (-(-size[0] >> level), -(-size[1] >> level)) if level else size
    strips = _strips(view, level, reduced, cores)
    assert 1 <= len(strips) <= cores + 1
    covered = np.zeros((reduced[1], reduced[0]), int)
    for x0, y0, x1, y1 in strips:
        assert x0 % 8 == 0 and y0 % 8 == 0 and x1 > x0 and y1 > y0
        covered[y0:y1, x0:x1] += 1
    assert covered.max() == 1
    wanted = covered[
        view.top() >> level : (view.bottom() >> level) + 1, view.left() >> level : (view.right() >> level) + 1
    ]
    assert wanted.all()


def test_tiles_out_of_view_make_room_the_oldest_first(session, monkeypatch):
    monkeypatch.setattr("dustpan.ui.picture.tiles._KEPT", 5 * 100 * 100 * 4)
    tiles = Tiles(session, lambda: Subject(Document()))
    tiles.view = View(QRect(0, 0, 1000, 500), 0)
    keys = [(0, column, row) for row in range(4) for column in range(2)]
    tiles.exact = {key: QImage(100, 100, QImage.Format.Format_RGB32) for key in keys}
    tiles._make_room()
    assert list(tiles.exact) == [*keys[:2], *keys[5:]]  # what is looked at stays, though it is the oldest
    tiles.view = View(QRect(0, 0, 1000, 2000), 0)
    tiles._make_room()
    assert len(tiles.exact) == 5
