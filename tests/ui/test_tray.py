"""The tray: pictures opened together, gone to by a click, given what another one has."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from tests.ui.steer import propose, settle

from dustpan.core.document.giving import with_card
from dustpan.core.document.route import Route, new_step
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.series import SERIES, write_series


@pytest.fixture
def three(window, qtbot, tmp_path, noisy):
    """A window with three pictures."""
    paths = []
    for number in range(3):
        paths.append(tmp_path / f"night{number}.png")
        save_picture(paths[-1], np.roll(noisy.pixels, 40 * number, 1), noisy.metadata, FORMATS["png"])
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files(paths)
    settle(window, qtbot)
    return window, paths


def go(window, qtbot, row: int) -> None:
    tray = window.tray
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        place = tray.list.visualItemRect(tray.list.item(row)).center()
        qtbot.mouseClick(tray.list.viewport(), Qt.MouseButton.LeftButton, pos=place)
    settle(window, qtbot)


def test_pictures_are_shown_with_what_was_found_and_a_click_goes_to_one(three, qtbot):
    window, paths = three
    tray = window.tray
    assert tray.isVisible() and tray.list.count() == 3 and tray.head.text() == "1 of 3"
    qtbot.waitUntil(lambda: len(tray.before) == 3 and paths[0] in tray.found, timeout=20000)
    assert "found" in tray.list.item(0).text() and "noise" in tray.list.item(0).toolTip()
    go(window, qtbot, 1)
    assert window.session.path == paths[1] and tray.head.text() == "2 of 3"
    assert tray.list.currentRow() == 1 and "not looked at" in tray.list.item(2).toolTip()
    window.actions_by_name["tray"].trigger()
    assert not tray.isVisible()
    window.actions_by_name["tray"].trigger()
    window.session.pictures.take(paths[:1])
    tray.refresh()
    assert not tray.isVisible()  # one picture needs no tray


def test_a_route_and_a_card_are_given_to_others_and_each_can_undo_it(three, qtbot):
    window, paths = three
    go(window, qtbot, 1)  # of its own history from now on
    window.session.add_step("sharpen")
    go(window, qtbot, 0)
    propose(window, qtbot)
    route = window.session.route
    window.session.choose("noise")
    window.tray.list.item(1).setSelected(True)
    assert window.tray.chosen_others == [paths[1]]
    window.tray.give_card.click()
    window.tray.list.clearSelection()
    window.tray.list.item(2).setSelected(True)
    window.tray.give_route.click()
    assert "1 other picture" in window.message.text.text()
    window.message.act.click()  # takes it back
    assert window.session.kept.find(str(paths[2])).route == Route() and not window.session.pictures.given
    window.tray.give_route.click()
    window.tray.list.clearSelection()
    assert window.tray.chosen_others == paths[1:]
    go(window, qtbot, 1)
    assert [step.kind for step in window.session.route] == ["noise", "sharpen"]
    assert window.session.route.find("noise").params == route.find("noise").params
    window.commands.undo()
    assert [step.kind for step in window.session.route] == ["sharpen"]
    go(window, qtbot, 2)
    assert [step.params for step in window.session.route] == [step.params for step in route]


def test_a_card_takes_the_place_of_its_kind_and_places_stay_behind():
    own, giver = Route((new_step("hot_pixels", "hot_pixels"), new_step("noise", "mine"))), Route()
    given = new_step("noise", "noise")
    values = {**given.params.to_json(), "bare": [[0.1, 0.1, 0.2, 0.2]], "luminance": 33.0}
    given = new_step("noise", "noise", given.params.from_json(values, where="noise"))
    changed = with_card(own, given, giver)
    assert [step.id for step in changed] == ["hot_pixels", "mine"]
    assert changed.find("mine").params.luminance == 33 and not changed.find("mine").params.bare


def test_samples_of_many_pictures_are_drawn_and_opened_together(window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr("dustpan.simulate.series.cache_folder", lambda name: tmp_path / "samples" / name)
    folder = tmp_path / "samples" / "iso-ladder"
    write_series("iso-ladder", folder, size=(240, 160))  # as if drawn before, and smaller
    with qtbot.waitSignal(window.session.opened, timeout=30000):
        window.walking.open_sample("iso-ladder")
    settle(window, qtbot)
    assert len(window.tray.paths) == 7 and window.session.engine.source.width == 240
    write_series("roof-stars", tmp_path / "samples" / "roof-stars", size=(180, 120))
    window.walking.open_sample("roof-stars")
    qtbot.waitUntil(
        lambda: window.beside.frames is not None and window.beside.frames.work.stack is not None, timeout=60000
    )
    work = window.beside.frames.work
    assert len(work.series.frames) == 24 and len(work.series.dark) == len(work.series.flat) == 8
    assert all(scene.words for scene in SERIES.values())
