"""The histogram of the exposure step: what it counts, and its handles under the mouse and the keys."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from tests.ui.steer import settle

from dustpan.core.filters.tone import bend_tone
from dustpan.core.judge.histogram import HIGH, LOW, Histogram
from dustpan.ui.widgets.tone_ends import Ends


@pytest.mark.parametrize("ends", [Ends(), Ends(0.1, 0.5, 0.05), Ends(-0.08, -0.7, 0.15)])
def test_handles_stand_at_what_becomes_black_middle_and_white(ends):
    made = bend_tone(
        np.array(ends.tones, np.float32), black=ends.black, white=ends.white, midtone=ends.midtone, contrast=0
    )
    assert np.allclose(made, (0, 0.5, 1), atol=2e-3)
    for index, name in enumerate(("black", "midtone", "white")):
        assert ends.moved(index, ends.tones[index]) == pytest.approx(getattr(ends, name), abs=0.006)


def test_counts_are_shares_and_cut_off_pixels_are_told():
    pixels = np.full((10, 10, 3), 0.5, np.float32)
    pixels[:2, :, 0], pixels[:3, :, 2] = -0.4, 1.0
    counted = Histogram.of(pixels)
    assert np.allclose(counted.counts.sum(axis=1), 1)
    assert counted.black.tolist() == [0, 0.2, 0, 0] and counted.white.tolist() == [0, 0, 0, 0.3]
    middle = int((0.5 - LOW) / (HIGH - LOW) * counted.counts.shape[1])
    assert counted.counts[2, middle - 1 : middle + 1].sum() == 1


def test_a_handle_sets_its_parameter_live_and_can_be_taken_back(opened, qtbot):
    opened.session.add_step("exposure")
    settle(opened, qtbot)
    ends = opened.controls.ends
    qtbot.waitUntil(lambda: ends.sides is not None, timeout=10000)
    before = ends.sides[1]
    start = QPoint(round(ends._x(0.0)), 60)
    qtbot.mousePress(ends, Qt.MouseButton.LeftButton, pos=start)
    for part in (0.04, 0.08, 0.1):
        qtbot.mouseMove(ends, QPoint(round(ends._x(part)), 60))
        qtbot.wait(20)
    qtbot.mouseRelease(ends, Qt.MouseButton.LeftButton, pos=QPoint(round(ends._x(0.1)), 60))
    assert opened.session.step.params.black == pytest.approx(0.1, abs=0.01)
    qtbot.waitUntil(lambda: ends.sides[1] is not before and ends.lost()[0] > before.black[0], timeout=10000)
    assert "lost at black" in ends.accessibleDescription()
    opened.canvas.setFocus()
    ends.setFocus()
    qtbot.keyClick(ends, Qt.Key.Key_Up)
    qtbot.keyClick(ends, Qt.Key.Key_Left)
    assert opened.session.step.params.midtone > 0
    step = opened.session.step
    opened.session.choose(None)
    opened.session.choose(step.id)  # the controls are built anew
    ends = opened.controls.ends
    qtbot.waitUntil(lambda: ends.sides is not None, timeout=10000)
    opened.compare.change_appearance(see="blue")
    assert ends.plane == 3
    opened.session.undo()
    opened.session.undo()
    assert opened.session.step.params.black == 0 and opened.controls.ends.ends == Ends()
