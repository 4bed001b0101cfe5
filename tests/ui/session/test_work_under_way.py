"""Work under way in the window: what fails in a worker, what goes side by side, what is kept, what closing ends."""

from __future__ import annotations

import gc
import weakref
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from tests.ui.steer import settle, type_value

from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.core.steps import kinds
from dustpan.core.work.pool import Pool
from dustpan.files.save import FORMATS
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork, name_of
from dustpan.ui.window import Window


def test_a_fault_in_a_worker_is_told_in_one_line_and_the_window_goes_on(opened, qtbot, monkeypatch):
    noise = kinds()["noise"]
    told = []
    opened.session.told.connect(lambda text, harm: told.append((text, harm)))
    with monkeypatch.context() as broken:
        broken.setattr(type(noise), "apply", lambda *a: np.zeros(3)[7])
        opened.session.add_step("noise")
        type_value(qtbot, opened.controls.fields["luminance"], 33)  # the usual result may be there of other tests
        qtbot.waitUntil(lambda: bool(told), timeout=30000)
    assert told[0][1] and "out of bounds" in told[0][0] and "\n" not in told[0][0]
    assert len({text for text, _ in told}) == 1
    type_value(qtbot, opened.controls.fields["luminance"], 45)
    settle(opened, qtbot)
    assert opened.session.step.params.luminance == 45


def test_a_proposal_and_an_edit_during_an_export_leave_the_export_as_it_was_asked_for(opened, qtbot, tmp_path):
    opened.session.add_step("exposure")
    type_value(qtbot, opened.controls.fields["ev"], 0.5)
    asked_for, target = opened.session.document, tmp_path / "out.png"
    with qtbot.waitSignal(opened.session.exporting.saved, timeout=30000):
        opened.session.exporting.export(target, "png", quality=90, overwrite=False)
        opened.session.measuring.propose()
        type_value(qtbot, opened.controls.fields["ev"], -2)
        assert {task.kind for task in opened.session.tasks.running} == {"exporting", "measuring"}
    qtbot.waitUntil(lambda: not opened.session.tasks.running, timeout=30000)
    engine = Engine(opened.session.engine.source)
    expected = render_native(engine, engine.plan(asked_for), FORMATS["png"])
    assert np.array_equal(np.asarray(Image.open(target)), expected)
    assert opened.session.changed  # what was exported is not what is shown now


@pytest.fixture
def many(tmp_path) -> list[Path]:
    rng = np.random.default_rng(1)
    paths = [tmp_path / f"{number}.png" for number in range(5)]
    for path in paths:
        Image.fromarray(rng.integers(60, 190, (300, 400, 3), np.uint8)).save(path)
    return paths


def test_pictures_that_were_left_are_let_go_and_their_takes_are_kept(window, qtbot, many):
    engines, sources = [], []
    window.open_files(many)
    for number, path in enumerate(many):
        qtbot.waitUntil(lambda path=path: window.session.path == path, timeout=20000)
        settle(window, qtbot)
        engines.append(weakref.ref(window.session.engine))
        sources.append(weakref.ref(window.session.engine.source))
        window.session.add_step("hot_pixels")
        window.session.keep_take(f"of {number}")
        if number < len(many) - 1:
            window.actions_by_name["next_picture"].trigger()
    settle(window, qtbot)
    gc.collect()
    assert sum(ref() is not None for ref in engines) == sum(ref() is not None for ref in sources) == 1
    stores = window.session.stores
    assert all(store.bytes <= store.budget for store in (stores.blocks, stores.analyses, stores.bases))
    window.walking.go(-1)
    qtbot.waitUntil(lambda: window.session.path == many[-2], timeout=20000)
    assert list(window.session.takes) == ["of 3"] and window.session.history.undo_label == "Add Hot pixels"


@pytest.mark.parametrize("work", ["opening", "measuring", "exporting", "drawing"])
def test_closing_ends_what_is_under_way_and_leaves_no_half_written_file(qtbot, tmp_path, picture_file, work):
    """The fixture of the other tests asks that no thread is left; here the window is closed in the midst of work."""
    window = Window(Pool(2), Memory(), KeptWork(tmp_path / "routes"))
    qtbot.addWidget(window)
    window.show()
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open(picture_file)
    window.session.add_step("noise")
    window.session.add_step("sharpen")
    if work == "opening":
        window.session.opening.open_from(lambda: Source(np.zeros((900, 900, 3), np.uint8)), "black")
    elif work == "measuring":
        window.session.measuring.propose()
    elif work == "exporting":
        window.session.exporting.export(tmp_path / "out.png", "png", quality=90, overwrite=False)
    qtbot.wait(30)
    window.close_at_once()
    assert not window.session.tasks.running and not window.isVisible()
    left = [path for path in tmp_path.iterdir() if path.suffix == ".png"]
    assert all(Image.open(path).size == Image.open(picture_file).size for path in left)
    assert [step.kind for step in window.session.kept.find(name_of(picture_file)).route] == ["noise", "sharpen"]
