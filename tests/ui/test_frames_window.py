"""The workspace for frames: looked at, chosen by the line, tried by all methods, made into one picture."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog

from dustpan.core.frames.choice import Choice, advice
from dustpan.core.frames.quality import Quality
from dustpan.core.picture.source import Metadata
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.roof_stars import Night
from dustpan.ui.frames.window import FramesWindow

COUNT = 6


@pytest.fixture(scope="module")
def night(tmp_path_factory) -> list[Path]:
    folder, drawn = tmp_path_factory.mktemp("night"), Night((330, 220))
    for number in range(COUNT):
        save_picture(folder / f"night-{number}.fits", drawn.frame(number), Metadata(), FORMATS["fits"])
    return sorted(folder.iterdir())


@pytest.fixture
def workspace(window, qtbot, night, monkeypatch) -> FramesWindow:
    """With frames in it, as the menu opens it and the file dialog gives them."""
    window.actions_by_name["combine"].trigger()
    made = window.beside.frames
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(path) for path in night], ""))
    made.add_button.click()
    qtbot.waitUntil(lambda: len(made.work.frames) == COUNT, timeout=30000)
    qtbot.waitUntil(lambda: made.tries.tiles[-1].image is not None, timeout=20000)
    yield made
    made.close()


def dot(plot, place: int) -> QPoint:
    return QPoint(round(plot._x(place)), round(plot._y(float(plot._values[place]))))


def test_frames_are_looked_at_left_out_and_taken_in_again(workspace, qtbot):
    plot, work = workspace.plot, workspace.work
    qtbot.mouseClick(plot, Qt.MouseButton.LeftButton, pos=dot(plot, 3))
    assert workspace.current == work.order[3] and "night-3" in workspace.name.text()
    shown = workspace.view.image.copy()
    workspace.registered.click()
    assert workspace.view.image != shown  # as it came
    qtbot.mouseDClick(plot, Qt.MouseButton.LeftButton, pos=dot(plot, 3))
    assert work.order[3] not in work.kept and "left out" in plot.accessibleDescription()
    assert f"{COUNT - 1} of {COUNT}" in workspace.cost.text() and "higher" in workspace.cost.text()
    qtbot.keyClick(plot, Qt.Key.Key_Space)
    assert len(work.kept) == COUNT
    values = np.sort(plot._values)
    start = QPoint(plot.width() // 2, 22)
    qtbot.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(plot, QPoint(start.x(), round(plot._y(float(values[2] + values[3]) / 2))))
    qtbot.mouseRelease(
        plot, Qt.MouseButton.LeftButton, pos=QPoint(start.x(), round(plot._y((values[2] + values[3]) / 2)))
    )
    assert 3 <= len(work.kept) <= 4 and work.choice.limit < values[3]  # the reference stays
    workspace.play.click()
    seen = set()
    qtbot.waitUntil(lambda: seen.add(workspace.current) or len(seen) >= len(work.kept), timeout=10000)
    assert seen <= set(work.kept) | {workspace.current}
    workspace.play.click()
    workspace.best.groove.tapped.emit(1.0)
    assert len(work.kept) == COUNT


def test_methods_are_tried_and_the_result_opens_with_a_route_proposed(workspace, window, qtbot):
    tiles = workspace.tries.tiles
    assert all("noise ×" in tile.figures[0] for tile in tiles)
    tiles[1].click()
    assert workspace.work.series.method.name == "median"
    assert tiles[1].chosen and not workspace.kappa.isVisible()
    workspace.rejected.click()
    qtbot.waitUntil(lambda: bool(workspace.work._results), timeout=20000)
    workspace.rejected.click()
    reference = workspace.work.order[2]
    qtbot.mouseClick(workspace.plot, Qt.MouseButton.LeftButton, pos=dot(workspace.plot, 2))
    path = workspace.work.frames[reference].path
    workspace.reference_button.click()
    qtbot.waitUntil(lambda: workspace.work.frames and workspace.work.frames[0].path == path, timeout=30000)
    assert [workspace.work.frames[n].path for n in workspace.work.order] == list(workspace.work.series.frames)
    workspace.combine_button.click()
    qtbot.waitUntil(lambda: window.session.engine is not None, timeout=30000)
    source = window.session.engine.source
    assert source.linear and source.telescope and f"{COUNT} frames combined" in window.header.title.text()


def test_frames_that_are_none_are_told_and_the_rest_goes_on(workspace, qtbot, tmp_path):
    broken = tmp_path / "broken.fits"
    broken.write_bytes(b"SIMPLE  =                    T")
    workspace.work.add([broken])
    qtbot.waitUntil(lambda: "broken.fits" in workspace.message.text(), timeout=30000)
    assert workspace.message.isVisible() and len(workspace.work.frames) == COUNT
    workspace.close()
    assert not workspace.work.frames
    workspace.show()  # the series is still there
    qtbot.waitUntil(lambda: len(workspace.work.frames) == COUNT, timeout=30000)


def test_the_choice_and_its_advice_without_a_window():
    made = [Quality(40, 2.5 + 0.1 * n, 1.0, 0.02, 0.001, (0.3 * n, 0.0)) for n in range(9)]
    made.append(Quality(20, 4.4, 0.5, 0.05, 0.004, (2.9, 0.0)))
    choice = Choice().keeping(5, made)
    assert choice.kept(made) == [0, 1, 2, 3, 4]
    turned = choice.turned(2, made).turned(8, made)
    assert turned.kept(made) == [0, 1, 3, 4, 8] and turned.turned(8, made).turned(2, made).kept(made) == [0, 1, 2, 3, 4]
    told = " ".join(advice(made, range(10), calibrated=False))
    assert "drift only 2.9 px" in told and "wide" in told and "noisier" in told
    assert not advice(made[:9], range(9), calibrated=True)


def test_a_target_is_followed_by_two_clicks_and_channels_are_registered_apart(workspace, qtbot):
    work, view = workspace.work, workspace.view
    workspace.follow.click()
    assert workspace.picking.under_way and "first frame" in workspace.message.text() and workspace.current == 0
    places = [QPoint(view.width() // 2, view.height() // 3), QPoint(view.width() // 2 + 30, view.height() // 3 - 12)]
    for place in places:
        qtbot.mouseClick(workspace, Qt.MouseButton.LeftButton, pos=view.mapTo(workspace, place))
    assert not workspace.picking.under_way and work.series.follow is not None
    x0, y0, x1, y1 = work.series.follow
    assert x1 > x0 and y1 < y0
    qtbot.waitUntil(lambda: not work.tasks.running, timeout=30000)
    assert "Following" in workspace.follow.text() and len(work.frames) == COUNT
    workspace.follow.click()
    assert work.series.follow is None and "Follow a" in workspace.follow.text()
    qtbot.waitUntil(lambda: not work.tasks.running, timeout=30000)
    workspace.apart.click()
    qtbot.waitUntil(lambda: not work.tasks.running, timeout=30000)
    assert work.series.apart and len(work.frames) == COUNT
    workspace.follow.click()
    workspace._escape()
    assert not workspace.picking.under_way and not workspace.follow.isChecked()
