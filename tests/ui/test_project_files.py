"""Projects in the window: saved, and opened in another one with the same document and pixels."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtWidgets import QFileDialog
from tests.ui.steer import propose, settle, type_value

from dustpan.core.work.pool import Pool
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork
from dustpan.ui.window import Window


@pytest.fixture
def series(tmp_path, noisy):
    folder = tmp_path / "pictures"
    folder.mkdir()
    paths = [folder / f"{number}.png" for number in range(3)]
    for number, path in enumerate(paths):
        save_picture(path, np.roll(noisy.pixels, 40 * number, axis=1), noisy.metadata, FORMATS["png"])
    return paths


@pytest.fixture
def another(qtbot, tmp_path, themed, stores):
    made = Window(Pool(2), Memory(tmp_path / "other" / "window.ini"), KeptWork(tmp_path / "other" / "routes"))
    made.session.stores = stores
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close_at_once()


def opened_in(window, qtbot, paths) -> None:
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files(list(paths))
    settle(window, qtbot)


def rendered(window) -> np.ndarray:
    engine = window.session.engine
    plan = engine.plan(window.session.document)
    return engine.render(plan, (0, 0, *plan.size))


def test_a_project_opens_elsewhere_with_the_same_documents_and_pixels(
    window, another, series, qtbot, tmp_path, monkeypatch
):
    opened_in(window, qtbot, series)
    propose(window, qtbot)
    window.canvas.parts.set_open(True)
    window.canvas.parts.add("ellipse")
    type_value(qtbot, window.controls.foot.mix, 60)
    window.commands.keep_take()
    left = window.session.document
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.actions_by_name["next_picture"].trigger()
    settle(window, qtbot)
    window.session.add_step("exposure")
    type_value(qtbot, window.controls.fields["ev"], 0.5)
    window.canvas.set_zoom(3.0)
    settle(window, qtbot)
    target = tmp_path / "tower.dustpan"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(target.with_suffix("")), ""))
    window.actions_by_name["save_project"].trigger()
    qtbot.waitUntil(lambda: "Saved" in window.message.text.text(), timeout=10000)
    assert target.exists() and not window.session.changed
    series[2].unlink()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: "")
    opened_in(another, qtbot, [target])
    assert another.session.path == series[1] and another.session.document.route == window.session.document.route
    assert another.canvas.zoom == 3.0
    qtbot.waitUntil(lambda: "2.png" in another.message.text.text(), timeout=10000)
    settle(another, qtbot)
    assert np.array_equal(rendered(another), rendered(window))
    with qtbot.waitSignal(another.session.opened, timeout=20000):
        another.actions_by_name["previous_picture"].trigger()
    assert another.session.document.route == left.route and len(another.session.takes) == 1
    another.session.undo()
    another.actions_by_name["save_project"].trigger()  # to its own file, without a question
    qtbot.waitUntil(lambda: "Saved" in another.message.text.text(), timeout=10000)


def test_work_of_a_project_takes_the_place_of_what_is_open_and_faults_change_nothing(window, series, qtbot, tmp_path):
    opened_in(window, qtbot, series[:1])
    window.session.add_step("exposure")
    window.project_files.save_to(tmp_path / "one.dustpan")
    qtbot.waitUntil(lambda: "Saved" in window.message.text.text(), timeout=10000)
    window.session.change_step(replace(window.session.step, on=False), "off")
    opened_in(window, qtbot, [tmp_path / "one.dustpan"])
    assert window.session.route.steps[0].on
    (tmp_path / "bad.dustpan").write_bytes(b"none")
    window.open_files([tmp_path / "bad.dustpan"])
    qtbot.waitUntil(lambda: "bad.dustpan" in window.message.text.text(), timeout=10000)
    assert window.session.path == series[0] and len(window.session.route) == 1
