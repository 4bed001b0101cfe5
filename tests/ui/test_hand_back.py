"""A picture handed back to the program that asked for it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from tests.ui.steer import settle

from dustpan.cli import run
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui.hand_back import GIVEN_UP


def test_one_button_writes_the_file_and_closes_with_status_0(opened, qtbot, tmp_path):
    target = tmp_path / "back.tif"
    target.write_bytes(b"what the other program has left there")
    back = opened.hand_back_to(target)
    assert back.status == GIVEN_UP and back.button.isVisible()
    opened.session.add_step("exposure")
    settle(opened, qtbot)
    with qtbot.waitSignal(opened.closed, timeout=30000):
        qtbot.mouseClick(back.button, Qt.MouseButton.LeftButton)
    assert back.status == 0
    source = opened.session.engine.source
    assert np.array_equal(read_picture(target).pixels, source.pixels)  # exposure at rest, as 8 bits


def test_a_call_that_is_wrong_is_refused_before_the_window_opens(noisy, tmp_path, capsys):
    picture = tmp_path / "in.png"
    save_picture(picture, noisy.pixels, noisy.metadata, FORMATS["png"])
    asked = []

    def window(files, **rest):
        asked.append((files, rest))
        return 0

    assert run(window, ["open", str(picture), "--save-to", str(tmp_path / "out.png")]) == 0
    assert asked == [([picture], {"save_to": tmp_path / "out.png"})]
    assert run(window, ["open", "--save-to", str(tmp_path / "out.png")]) == 2
    assert run(window, ["open", str(picture), "--save-to", str(picture)]) == 1
    assert run(window, ["open", str(picture), "--save-to", str(tmp_path / "out.xyz")]) == 1
    assert len(asked) == 1 and "never written to" in capsys.readouterr().err
