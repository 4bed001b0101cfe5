"""Safe strengths on the sliders, and the picture seen at its output size."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from tests.ui.steer import settle

from dustpan.core.document.viewing import USUAL
from dustpan.core.picture.source import Source
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.finish_fields import words_for


def test_the_slider_shows_where_harm_begins(opened, qtbot):
    session = opened.session
    session.add_step("high_pass")
    fields = opened.controls.fields
    session.change_step(session.with_value(session.step, "law", "full"), "Law")
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: opened.limits.limit is not None, timeout=30000)
    limit = opened.limits.limit
    assert limit.harm is not None and fields["strength"].groove.limit is not None
    assert limit.harm.text in fields["strength"].toolTip() and fields["radius"].groove.limit is None
    fields["strength"].changed.emit(20.0)  # of which it does not depend
    assert opened.limits.limit is limit and fields["strength"].groove.limit is not None
    fields["radius"].changed.emit(2.0)
    assert opened.limits.limit is None and fields["strength"].groove.limit is None
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: opened.limits.limit is not None, timeout=30000)


def test_an_output_is_seen_before_it_is_written(opened, qtbot, monkeypatch, tmp_path):
    def see_first(dialog: ExportDialog) -> int:
        dialog.folder.setText(str(tmp_path))
        dialog.room.setText("0")
        assert not dialog.look.isEnabled()
        dialog.room.setText("200")
        dialog.viewing.choice.setCurrentIndex(dialog.viewing.choice.findData("matte"))
        dialog.viewing.numbers["distance"].setValue(80)
        assert dialog.viewing.choice.currentData() == "own"
        dialog.viewing.show_viewing(USUAL["matte"])
        qtbot.mouseClick(dialog.look, Qt.MouseButton.LeftButton)
        return dialog.result()

    monkeypatch.setattr(ExportDialog, "exec", see_first)
    opened.actions_by_name["export"].trigger()
    view = opened.output_view
    qtbot.waitUntil(lambda: view.made is not None, timeout=20000)
    assert opened.pages.currentWidget() is view and not list(tmp_path.glob("*.png"))
    assert "200 × 133 px" in view.title.text() and words_for(USUAL["matte"]) in view.title.text()
    shown = view.view.image.copy()
    qtbot.mousePress(view.plain, Qt.MouseButton.LeftButton)
    assert view.view.image != shown
    qtbot.mouseRelease(view.plain, Qt.MouseButton.LeftButton)
    assert view.view.image == shown
    zoom, mode = opened.canvas.zoom, opened.compare.now.mode  # keys belong to what is seen
    qtbot.keyPress(opened, Qt.Key.Key_H)
    assert view.view.image != shown and not opened.canvas.holding
    qtbot.keyRelease(opened, Qt.Key.Key_H)
    for key in (Qt.Key.Key_2, Qt.Key.Key_J, Qt.Key.Key_B, Qt.Key.Key_M, Qt.Key.Key_Left):
        qtbot.keyClick(opened, key)
    assert view.view.zoom == 2 and view.view.image == shown
    assert opened.canvas.zoom == zoom and opened.compare.now.mode == mode
    qtbot.keyClick(opened, Qt.Key.Key_1)
    assert view.view.zoom == 1
    before = colours_amid(view, 1)
    qtbot.keyClick(view.view, Qt.Key.Key_Plus)
    qtbot.keyClick(view.view, Qt.Key.Key_Plus)
    assert view.percent.text() == "300 %" and colours_amid(view, 0) <= before  # the middle stays
    qtbot.mouseClick(view.percent, Qt.MouseButton.LeftButton)
    assert view.percent.text() == "100 %"
    qtbot.mousePress(view.view, Qt.MouseButton.LeftButton, pos=QPoint(60, 60))
    qtbot.mouseMove(view.view, QPoint(20, 20))
    qtbot.mouseRelease(view.view, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    opened.actions_by_name["cancel"].trigger()
    assert opened.pages.currentWidget() is not view and view.made is None
    opened.actions_by_name["output"].trigger()
    opened.output.see()  # again while it is being made: the page stays
    assert opened.pages.currentWidget() is view
    opened.output.leave()
    assert opened.session.tasks.find("output") is None  # nothing goes on behind
    opened.actions_by_name["output"].trigger()  # as it was looked at last
    qtbot.waitUntil(lambda: view.made is not None, timeout=20000)
    assert words_for(USUAL["matte"]) in view.title.text()
    opened.commands.undo()
    opened.session.add_step("grain")
    assert opened.pages.currentWidget() is not view  # the route has changed


def test_what_only_rendered_pictures_have_is_asked_of_them_alone(opened, qtbot):
    session = opened.session
    session.add_step("noise")
    assert "guided" not in opened.controls.fields and "engine" in opened.controls.fields
    noisy = session.engine.source.pixels / np.float32(255)
    layers = {"Z": np.linspace(1, 2, noisy.shape[0] * noisy.shape[1], dtype=np.float32).reshape(noisy.shape[:2])}
    session.opening.open_from(lambda: Source(noisy**2, linear=True, layers=layers), "render.exr")
    qtbot.waitUntil(lambda: session.engine is not None and session.engine.source.features is not None, timeout=20000)
    settle(opened, qtbot)
    session.add_step("noise")
    assert opened.controls.fields["guided"].isChecked() and "engine" not in opened.controls.fields
    qtbot.mouseClick(opened.controls.fields["guided"], Qt.MouseButton.LeftButton)
    assert session.step.params.guided is False and session.step.params.auto is True
    settle(opened, qtbot)


def colours_amid(view, reach: int) -> set[str]:
    """The colours of the pixels in the middle of what is shown."""
    image = view.view.grab().toImage()
    across, down = (range(side // 2 - reach, side // 2 + reach + 1) for side in (image.width(), image.height()))
    return {image.pixelColor(x, y).name() for x in across for y in down}
