"""The shelf of remedies in the window: searched, seen on the picture, taken, kept, suggested."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import QDialog, QFileDialog, QPushButton
from tests.ui.steer import propose, settle

from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.working import from_working
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.remedies import load_remedy, save_remedy
from dustpan.ui.shelf.keeping import KeepDialog


def made_at(iso: int) -> Remedy:
    return Remedy(Route((new_step("noise", "noise"),)), name=f"Lamp light {iso}", camera="Quillmark Q3", iso=iso)


def test_a_route_is_kept_found_seen_and_taken(opened, qtbot, monkeypatch):
    propose(opened, qtbot)
    route = opened.session.route
    opened.actions_by_name["shelf"].trigger()
    shelf = opened.beside.remedy_shelf
    answers = []
    monkeypatch.setattr(QDialog, "open", lambda dialog: answers.append(dialog))
    shelf.keep_button.click()
    (dialog,) = answers
    assert isinstance(dialog, KeepDialog) and dialog.name.text() == "Quillmark Q3 · ISO 12800"
    dialog.name.setText("Night work")
    dialog.scaling.setCurrentIndex(1)
    dialog.accept()
    kept = shelf.chosen
    assert kept.remedy.name == "Night work" and kept.remedy.scaling == "fixed" and not opened.session.changed
    shelf.search.setText("starry")
    assert [item.remedy.name for item in shelf.items] == ["Starry sky"] and not shelf.drop_button.isEnabled()
    shelf.search.setText("night 12800")
    assert shelf.items[0].path == kept.path
    qtbot.waitUntil(lambda: len(shelf.previews.images) == 3, timeout=30000)
    assert all(before != after for before, after in shelf.previews.images.values())
    opened.session.undo()
    assert opened.session.route != route
    shelf.take_button.click()
    assert [step.params for step in opened.session.route] == [step.params for step in route]
    shelf.drop_button.click()
    assert not kept.path.exists()
    opened.message.act.click()  # put back
    assert kept.path.exists()


def test_what_suits_camera_and_iso_is_offered_where_nothing_was_done(window, qtbot, picture_file):
    for iso in (6400, 25600):
        window.shelf.keep(made_at(iso))
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open(picture_file)
    settle(window, qtbot)
    assert "Between Lamp light 6400 and Lamp light 25600" in window.message.text.text()
    assert window.message.isVisible() and window.message.act.isVisible()
    window.message.act.click()
    assert [step.kind for step in window.session.route] == ["noise"]


def test_a_batch_takes_each_picture_s_remedy_from_the_shelf(opened, qtbot, picture_file, tmp_path):
    opened.shelf.keep(replace(made_at(12800), name="At this ISO"))
    batch = opened.beside.show_batch()
    batch.add([picture_file])
    batch.folder.setText(str(tmp_path / "out"))
    batch.route.setCurrentText("from the shelf, by camera and ISO")
    batch._wish()
    batch.start_button.click()
    qtbot.waitUntil(lambda: not batch.queue.running, timeout=30000)
    (item,) = batch.queue.items
    assert item.output["remedy"]["name"] == "At this ISO" and item.output["steps"] == ["noise"]


def test_remedies_are_exchanged_as_files_and_broken_ones_are_named(opened, qtbot, tmp_path, monkeypatch):
    shelf = opened.beside.show_shelf()
    assert not shelf.keep_button.isEnabled()  # there is no route yet
    opened.session.add_step("noise")
    assert shelf.keep_button.isEnabled()
    save_remedy(tmp_path / "roof tiles.json", made_at(3200))
    (tmp_path / "broken.json").write_text("{}")
    names = [str(tmp_path / name) for name in ("roof tiles.json", "broken.json")]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: (names, ""))
    shelf.import_button.click()
    assert shelf.chosen.remedy.name == "Lamp light 3200" and "broken.json" in shelf.told.text()
    target = tmp_path / "passed on.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(target), ""))
    shelf.export_button.click()
    assert load_remedy(target) == shelf.chosen.remedy and "Saved" in shelf.told.text()
    shelf.search.setText("no such words")
    assert shelf.chosen is None and not shelf.take_button.isEnabled() and shelf.name.text() == "Nothing found"
    shelf.search.clear()
    for item in list(shelf.shelf.folder.iterdir()):
        item.unlink()
    shelf.drop()  # its file went meanwhile
    assert all(item.path is None for item in shelf.items)
    opened.shelf.folder = None
    shelf.keep(made_at(800))
    assert "no folder" in shelf.told.text()


def test_without_a_picture_the_shelf_says_so_and_takes_nothing(window, qtbot):
    window.shelf.keep(made_at(800))
    shelf = window.beside.show_shelf()
    assert "Open a picture" in shelf.previews.said and not shelf.take_button.isEnabled()
    shelf.take()
    assert not len(window.session.route) and window.session.engine is None


def test_fixed_noise_is_used_in_the_window_until_it_is_measured_there(opened, qtbot, tmp_path):
    """What is shown with a remedy of fixed scaling is what `dustpan process` makes of the picture with it."""
    session = opened.session
    twice = session.engine.noise.scaled(luminance=np.full(17, 2.0), colour=np.full(17, 2.0))
    strong = NoiseModel.from_json(twice.to_json())  # as rounded as a file keeps it
    path = tmp_path / "strong.json"
    save_remedy(path, replace(made_at(12800), scaling="fixed", made_on={"noise": strong.to_json()}))
    opened.beside.remedies.apply(path)
    settle(opened, qtbot)
    assert opened.controls.assumed.isVisible() and session.plan.noise.key == strong.key
    clean_one(
        session.path, tmp_path / "out.png", Order(load_remedy(path), None, 95, False, ()), pool=None, token=Token()
    )
    shown = session.engine.render(session.plan, (0, 0, *session.plan.size))
    np.testing.assert_array_equal(read_picture(tmp_path / "out.png").pixels, from_working(shown, dtype=np.uint8))
    assert opened.beside.remedies.current().document == session.document  # kept again, it is fixed again
    opened.controls.assumed.findChild(QPushButton).click()
    settle(opened, qtbot)
    assert not opened.controls.assumed.isVisible() and session.plan.noise.key == session.engine.noise.key
    session.undo()
    settle(opened, qtbot)
    assert session.plan.noise.key == strong.key
    propose(opened, qtbot)
    assert session.document.noise is None  # a proposal is what was measured
