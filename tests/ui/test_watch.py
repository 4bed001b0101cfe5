"""A file that is followed: what is said, and that it is said once."""

from __future__ import annotations

import os

from dustpan.ui.session.watch import FileWatch, stamp_of


def test_only_what_became_of_the_file_itself_is_told_and_once(qtbot, tmp_path):
    path, other = tmp_path / "dial.png", tmp_path / "other.png"
    path.write_bytes(b"first")
    watch, told = FileWatch(), []
    watch.told.connect(told.append)
    watch.follow(path, stamp_of(path))
    other.write_bytes(b"a neighbour")  # the folder is followed too
    qtbot.wait(600)
    assert told == []
    for held in (b"second", b"second and a half"):  # written in pieces
        path.write_bytes(held)
        qtbot.wait(50)
    qtbot.waitUntil(lambda: len(told) == 1, timeout=3000)
    assert told[0].startswith("dial.png has changed") and "F5" in told[0]
    replacement = tmp_path / "dial.part"
    replacement.write_bytes(b"put in its place by another program")
    os.replace(replacement, path)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=3000)
    path.unlink()
    qtbot.waitUntil(lambda: len(told) == 3, timeout=3000)
    assert "no longer at" in told[2] and str(tmp_path) in told[2]
    path.write_bytes(b"and back")
    qtbot.waitUntil(lambda: len(told) == 4, timeout=3000)
    watch.stop()
    path.write_bytes(b"nobody looks any more")
    qtbot.wait(600)
    assert len(told) == 4


def test_a_change_between_reading_and_following_is_told(qtbot, tmp_path):
    path = tmp_path / "dial.png"
    path.write_bytes(b"as it was read")
    stamp = stamp_of(path)
    path.write_bytes(b"as it is when the picture is there")
    watch = FileWatch()
    with qtbot.waitSignal(watch.told, timeout=3000) as told:
        watch.follow(path, stamp)
    assert "has changed" in told.args[0]
    watch.follow(None, None)
    watch.check()
    assert stamp_of(tmp_path / "none.png") is None
