"""The batch window: one route for many pictures, in few actions, each with its state; results are walked through."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog
from tests.ui.steer import propose, settle

from dustpan.batch.names import named
from dustpan.core.errors import SaveError
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui.batch.queue import DONE, FAILED, WAITING


@pytest.fixture
def pictures(tmp_path, noisy) -> Path:
    """A folder of three pictures and of one that is none."""
    folder = tmp_path / "night"
    folder.mkdir()
    for number in range(3):
        pixels = np.roll(noisy.pixels, 40 * number, axis=1)
        save_picture(folder / f"{number}.png", pixels, noisy.metadata, FORMATS["png"])
    (folder / "broken.png").write_bytes(b"no picture")
    return folder


def drop(window, path: Path) -> None:
    held = QMimeData()
    held.setUrls([QUrl.fromLocalFile(str(path))])
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(QPointF(200, 200), Qt.DropAction.CopyAction, held, buttons, keys))


def test_one_route_for_a_folder_takes_five_actions(opened, qtbot, pictures, tmp_path, monkeypatch):
    propose(opened, qtbot)
    target = tmp_path / "out"
    target.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(target))
    opened.actions_by_name["batch"].trigger()  # 1
    batch = opened.beside.batch
    assert not batch.start_button.isEnabled() and "folder" in batch.note.text()
    drop(batch, pictures)  # 2
    batch.choose_folder.click()  # 3; the route of the open picture is chosen
    assert "0.png becomes 0-cleaned.png" in batch.example.text()
    batch.start_button.click()  # 4
    qtbot.waitUntil(lambda: not batch.queue.running and batch.queue.count(DONE) == 3, timeout=60000)
    assert batch.queue.count(FAILED) == 1 and "1 failed" in batch.note.text() and batch.retry_button.isVisibleTo(batch)
    assert sorted(path.name for path in target.iterdir()) == [f"{n}-cleaned.png" for n in range(3)]
    assert read_picture(target / "1-cleaned.png").pixels.std() > 0
    report = batch.queue.report()
    assert "3 of 4" in report and "steps: " in report and "not a picture" in report
    save_picture(
        pictures / "broken.png",
        *(lambda s: (s.pixels, s.metadata))(read_picture(pictures / "0.png")),
        FORMATS["png"],
        overwrite=True,
    )
    batch.retry_button.click()
    qtbot.waitUntil(lambda: batch.queue.count(DONE) == 4, timeout=30000)
    with qtbot.waitSignal(opened.session.opened, timeout=20000):
        batch.walk_button.click()  # 5
    settle(opened, qtbot)
    assert opened.session.path == pictures / "0.png" and [s.kind for s in opened.session.route] == batch_kinds(batch)
    assert opened.walking.position == "1 of 4" and not opened.session.changed


def batch_kinds(batch) -> list[str]:
    return [step.kind for step in next(iter(batch.queue.documents.values())).route]


def test_work_is_paused_stopped_and_nothing_is_left_half_written(window, qtbot, pictures, tmp_path):
    batch = window.beside.show_batch()
    batch.add([pictures])
    batch.route.setCurrentText("proposed for each picture")
    target = tmp_path / "out"
    target.mkdir()
    batch.folder.setText(str(target))
    batch.pattern.setText("{number}-{name}")
    batch.start_button.click()
    batch.pause_button.click()
    qtbot.waitUntil(lambda: batch.queue.count(DONE) == 1, timeout=30000)
    qtbot.wait(300)
    assert batch.queue.count(WAITING) == 3 and batch.queue.running
    batch.pattern.setText("{nonsense}")  # what is set meanwhile is for the next time
    batch.pause_button.click()
    batch.pattern.setText("{number}-{name}")
    batch.start_button.click()  # stops
    assert not batch.queue.running and batch.queue.count(WAITING) == 3
    assert batch.bar.value() == 250
    qtbot.wait(500)
    assert [path.name for path in target.iterdir()] == ["001-0.png"]
    batch.list.topLevelItem(0).setSelected(True)
    batch.remove_button.click()
    assert [item.path.name for item in batch.queue.items] == ["1.png", "2.png", "broken.png"]
    batch.pattern.setText("same")
    assert (
        "2.png: its result would have the same name as that of 1.png (same.png)" in batch.note.text()
        and not batch.start_button.isEnabled()
    )
    batch.pattern.setText("{nonsense}")
    assert "{name}" in batch.example.text() and not batch.start_button.isEnabled()


def test_names_follow_their_pattern():
    picture = Path("/night/tower.jpg")
    assert named("{name}-{number}", picture, 7, ".png") == "tower-007.png"
    assert named("{folder}.PNG", picture, 1, ".png") == "night.PNG"
    for pattern in ("", "{iso}", "a/b", "{name", ".."):
        with pytest.raises(SaveError):
            named(pattern, picture, 1, ".png")


def test_frames_of_a_sequence_share_their_noise_and_are_written_twice_over(window, qtbot, pictures, tmp_path):
    batch = window.beside.show_batch()
    batch.add([pictures])
    batch.folder.setText(str(tmp_path / "new"))
    batch.route.setCurrentText("proposed for each picture")
    batch._wish()
    batch.sequence.setChecked(True)
    row = batch.also.add()
    row.room.setText("nonsense")
    assert "The size is" in batch.note.text() and not batch.start_button.isEnabled()
    row.room.setText("100")
    batch.start_button.click()
    qtbot.waitUntil(lambda: not batch.queue.running, timeout=60000)
    assert batch.queue.count(DONE) == 3 and len(list((tmp_path / "new").glob("*-cleaned-100x100.jpg"))) == 3
    noise = [item.output["remedy"]["made_on"]["noise"]["sigma"] for item in batch.queue.items if item.output]
    assert noise[0] == noise[1] == noise[2]
