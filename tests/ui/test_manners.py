"""How the window behaves: nothing is lost, nothing acts by accident, every piece of work is its own."""

from __future__ import annotations

import json
import time
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QImage, QWheelEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton
from tests.ui.steer import in_view, on_screen, propose, settle

from dustpan.core.document.copying import write_steps, write_value
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.document.work import Work
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.core.render.finishing import Finish
from dustpan.core.work.pool import Pool
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.scenes import noisy_picture
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.judging.chip import word_for
from dustpan.ui.judging.proof_strip import HIGHEST
from dustpan.ui.memory import Memory
from dustpan.ui.session.kept import KeptWork, name_of
from dustpan.ui.widgets.picture_tile import PictureTile
from dustpan.ui.window import Window


@pytest.fixture
def pictures(tmp_path, noisy):
    """Three pictures and a broken one between them."""
    paths = [tmp_path / f"{name}.png" for name in ("one", "broken", "two", "three")]
    for number, path in enumerate(paths):
        save_picture(path, np.roll(noisy.pixels, 40 * number, axis=1), noisy.metadata, FORMATS["png"])
    paths[1].write_bytes(paths[1].read_bytes()[:900])
    return paths


def drop(window, paths) -> None:
    held = QMimeData()
    held.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    window.dropEvent(
        QDropEvent(
            QPointF(400, 400), Qt.DropAction.CopyAction, held, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )


def turn(widget, notches: int) -> None:
    """Turn the wheel over a widget."""
    at = QPointF(widget.rect().center())
    for _ in range(abs(notches)):
        event = QWheelEvent(
            at,
            QPointF(widget.mapToGlobal(at.toPoint())),
            QPoint(),
            QPoint(0, 120 if notches > 0 else -120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(widget, event)


def test_a_very_wide_view_gets_exact(window, qtbot):
    wide = np.random.default_rng(2).integers(60, 180, (300, 4200, 3)).astype(np.uint8)
    window.resize(4600, 1300)
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open_from(lambda: Source(wide, name="wide"), "wide")
    window.session.add_step("noise")
    window.canvas.set_zoom(1.0)
    settle(window, qtbot)
    assert window.tiles.view.region.width() > 4000 and not window.message.isVisible()
    assert np.ptp(in_view(window, on_screen(window)), axis=(0, 1)).min() > 0


def test_a_failed_draft_is_told_and_the_view_goes_on(opened, qtbot, monkeypatch):
    engine, plain = opened.session.engine, type(opened.session.engine).sketch
    failing = [True]

    def sketch(self, *arguments, **rest):
        if failing:
            raise ZeroDivisionError("unforeseen")
        return plain(self, *arguments, **rest)

    monkeypatch.setattr(type(engine), "sketch", sketch)
    opened.session.add_step("noise")
    qtbot.waitUntil(lambda: opened.message.isVisible() and "unforeseen" in opened.message.text.text(), timeout=10000)
    assert "\n" not in opened.message.text.text()
    failing.clear()
    opened.session.add_step("exposure")
    settle(opened, qtbot)
    assert not opened.message.isVisible()  # what it was about has passed


def test_an_export_goes_on_while_a_picture_is_opened_and_a_step_is_added(opened, qtbot, pictures, noisy, tmp_path):
    propose(opened, qtbot)
    target = tmp_path / "out.png"
    with qtbot.waitSignal(opened.session.exporting.saved, timeout=30000):
        opened.session.exporting.export(target, "png", quality=90, overwrite=False)
        opened.session.measuring.mend("exposure")
        opened.session.opening.open(pictures[0])
        assert {task.kind for task in opened.session.tasks.running} >= {"exporting", "opening"}
    assert read_picture(target).width == noisy.pixels.shape[1]
    qtbot.waitUntil(lambda: opened.session.path == pictures[0], timeout=10000)
    settle(opened, qtbot)


def test_closing_during_an_export_asks_once(opened, qtbot, tmp_path, monkeypatch):
    def endless(engine, plan, fmt, *, pool, token, progress):
        while True:
            token.check()
            time.sleep(0.01)

    monkeypatch.setattr("dustpan.batch.export.render_native", endless)
    opened.session.exporting.export(tmp_path / "out.tif", "tiff16", quality=90, overwrite=False)
    opened.close()
    box = opened.findChild(QMessageBox)
    assert opened.isVisible() and "out.tif" in box.text()
    box.findChild(QPushButton).click()  # stop it and close
    qtbot.waitUntil(lambda: not opened.isVisible(), timeout=5000)
    assert list(tmp_path.glob("*.tif")) == [] and list(tmp_path.glob(".dustpan*")) == []


def reopened(qtbot, tmp_path, picture_file, *, at_once=True):
    again = Window(Pool(2), Memory(None), KeptWork(tmp_path / "routes"))
    again.session.takes_up = at_once
    qtbot.addWidget(again)
    again.show()
    with qtbot.waitSignal(again.session.opened, timeout=20000):
        again.session.opening.open(picture_file)
    return again


def test_a_whole_job_stands_as_it_was_left_when_the_picture_is_opened_again(opened, qtbot, picture_file, tmp_path):
    """Open, propose, mask, export small, close, open again: the same document, takes, look and pixels."""
    session = opened.session
    propose(opened, qtbot)
    assert "●" in opened.header.title.text() and opened.isWindowModified()
    session.keep_take("gentle")
    step = session.route.first_of("noise")
    session.choose(step.id)
    opened.canvas.parts.add("gradient")
    opened.canvas.look_at(QPointF(120, 90), 2.0)
    opened.proofs.add(50, 60)
    settle(opened, qtbot)
    with qtbot.waitSignal(session.exporting.saved, timeout=30000):
        size = Finish(size=(200, 200))
        session.exporting.export(tmp_path / "small.png", "png", quality=90, overwrite=False, finish=size)
    assert not opened.isWindowModified()
    left, chosen, takes = session.document, session.chosen_id, dict(session.takes)
    look, before = opened.looked_at.values(), on_screen(opened)
    opened.close()
    again = reopened(qtbot, tmp_path, picture_file)
    settle(again, qtbot)
    assert again.session.document == left and again.session.chosen_id == chosen and again.session.takes == takes
    assert again.looked_at.values()["proofs"] == look["proofs"] and again.canvas.zoom == 2.0
    assert again.looked_at.values()["centre"] == pytest.approx(look["centre"], abs=40)
    assert not again.isWindowModified()
    view = again.tiles.view.region.intersected(opened.tiles.view.region)
    part = np.s_[view.top() : view.bottom(), view.left() : view.right()]
    assert np.array_equal(on_screen(again)[part], before[part])
    again.actions_by_name["undo"].trigger()
    assert len(again.session.route) == 0
    again.close()


def test_work_of_before_is_offered_until_that_is_answered(opened, qtbot, picture_file, tmp_path):
    propose(opened, qtbot)
    route = opened.session.route
    opened.close()
    again = reopened(qtbot, tmp_path, picture_file, at_once=False)
    message, session = again.message, again.session
    assert message.act.isVisible() and "4 steps" in message.text.text() and len(session.route) == 0
    session.add_step("sharpen")  # neither an edit nor another message answers it
    session.keep_work()
    again.tell("something else", False)
    message.pass_by()
    assert message.act.isVisible() and session.kept.find(name_of(picture_file)).route == route
    message.act.click()
    assert session.route == route
    again.close()
    other = reopened(qtbot, tmp_path, picture_file, at_once=False)
    next(b for b in other.message.findChildren(QPushButton) if b.toolTip() == "Close this message").click()
    other.session.add_step("noise")
    other.close()
    assert [step.kind for step in other.session.kept.find(name_of(picture_file)).route] == ["noise"]


def test_an_export_that_ends_when_another_picture_is_open_counts_for_its_own(opened, qtbot, picture_file, tmp_path):
    session = opened.session
    session.add_step("noise")
    with qtbot.waitSignal(session.exporting.saved, timeout=30000):
        session.exporting.export(tmp_path / "done.png", "png", quality=90, overwrite=False)
        session.opening.open_from(lambda: Source(np.full((300, 300, 3), 90, np.uint8)), "grey")
    settle(opened, qtbot)
    assert session.kept.find(name_of(picture_file)).written
    with qtbot.waitSignal(session.opened, timeout=20000):
        session.opening.open(picture_file)
    assert [step.kind for step in session.route] == ["noise"] and not opened.isWindowModified()


def test_samples_are_kept_like_files(window, qtbot):
    with qtbot.waitSignal(window.session.opened, timeout=60000):
        window.walking.open_sample("escapement")
    window.session.tasks.cancel_all()
    window.session.add_step("sharpen")
    with qtbot.waitSignal(window.session.opened, timeout=60000):
        window.session.opening.open_from(lambda: Source(np.full((300, 300, 3), 90, np.uint8)), "grey")
    with qtbot.waitSignal(window.session.opened, timeout=60000):
        window.walking.open_sample("escapement")
    assert [step.kind for step in window.session.route] == ["sharpen"]
    assert window.session.tasks.find("measuring") is None


def test_dropped_pictures_are_walked_through_each_with_its_own_route(window, qtbot, pictures):
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        drop(window, pictures)
    window.session.add_step("noise")
    settle(window, qtbot)
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        qtbot.keyClick(window, Qt.Key.Key_PageDown)  # the broken one is told and passed over
    qtbot.waitUntil(lambda: window.session.path == pictures[2], timeout=10000)
    assert "broken.png" in window.message.text.text() and len(window.session.route) == 0
    assert "3 of 4" in window.header.title.text()
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        qtbot.keyClick(window, Qt.Key.Key_PageUp)
    assert window.session.path == pictures[0] and [s.kind for s in window.session.route] == ["noise"]
    assert window.session.history.undo_label == "Add Noise" and window.session.chosen_id == "noise"
    assert window.memory.recent == [str(pictures[0]), str(pictures[2])]
    settle(window, qtbot)


def test_a_pasted_value_keeps_what_was_proposed_beside_it(opened, qtbot):
    propose(opened, qtbot)
    shown = opened.session.plan.find("noise").params
    opened.session.paste(write_value("noise", "luminance", 33.0))
    assert opened.session.step.params == replace(shown, luminance=33.0, auto=False)
    opened.controls.back.click()
    assert opened.session.step.params.auto and opened.session.history.undo_label.endswith("back to the proposal")


def test_small_steps_that_follow_one_another_are_one_entry(opened, qtbot):
    propose(opened, qtbot)
    session = opened.session
    session.choose("sharpen")
    slider = opened.controls.fields["amount"]
    proposed, entries = slider.value, len(session.history.entries)
    slider.groove.setFocus()
    turn(slider.groove, 5)
    assert session.step.params.amount == proposed + 25 and len(session.history.entries) == entries + 1
    for _ in range(3):
        qtbot.keyClick(slider.groove, Qt.Key.Key_Left)
    assert session.step.params.amount == proposed + 10 and len(session.history.entries) == entries + 1
    qtbot.wait(900)  # a pause
    qtbot.keyClick(slider.groove, Qt.Key.Key_Right)
    assert len(session.history.entries) == entries + 2
    qtbot.mouseDClick(slider.groove, Qt.MouseButton.LeftButton)
    assert session.step.params.amount == proposed and len(session.history.entries) <= entries + 2
    opened.actions_by_name["undo"].trigger()
    opened.actions_by_name["undo"].trigger()
    opened.actions_by_name["redo"].trigger()
    assert session.step is not None


@pytest.mark.parametrize("key", [Qt.Key.Key_Escape, Qt.Key.Key_Z])
def test_esc_and_undo_during_a_drag_only_end_the_drag(opened, qtbot, key):
    propose(opened, qtbot)
    before, entries = opened.session.document, len(opened.session.history.entries)
    groove = opened.controls.fields["luminance"].groove
    qtbot.mousePress(groove, Qt.MouseButton.LeftButton, pos=QPoint(120, 8))
    qtbot.mouseMove(groove, QPoint(60, 8))
    assert opened.session.document != before
    control = Qt.KeyboardModifier.ControlModifier if key == Qt.Key.Key_Z else Qt.KeyboardModifier.NoModifier
    qtbot.keyClick(opened, key, control)
    qtbot.mouseMove(groove, QPoint(30, 8))
    qtbot.mouseRelease(groove, Qt.MouseButton.LeftButton, pos=QPoint(30, 8))
    assert opened.session.document == before and len(opened.session.history.entries) == entries
    settle(opened, qtbot)


def test_the_export_dialog_remembers_and_says_what_it_will_do(qtbot, tmp_path, noisy):
    memory, source = Memory(tmp_path / "m.json"), tmp_path / "night.jpg"
    save_picture(source, noisy.pixels, noisy.metadata, FORMATS["jpeg"])
    picture = read_picture(source)

    def dialog(held=picture, path=source) -> ExportDialog:
        made = ExportDialog(path, held, memory)
        qtbot.addWidget(made)
        return made

    first = dialog()
    assert first.format_name == "jpeg" and "as opened: JPEG" in first.format.currentText()
    first.name.setText("night.jpg")
    assert first.target == source and not first.go.isEnabled() and "never written to" in first.note.text()
    first.name.setText("x.JPG")
    assert first.target.name == "x.JPG"  # no second ending
    first.name.setText("n" * 300)
    assert not first.go.isEnabled() and "long" in first.note.text()
    first.name.setText("{name}-b")
    first.format.setCurrentIndex(first.format.findData("png16"))
    first.quality.show_value(70.0)
    first.accept()
    second = dialog()
    assert (second.format_name, second.name.text(), second.quality.value) == ("png16", "{name}-b", 70.0)
    clear = Source(noisy.pixels.copy(), alpha=np.full(noisy.pixels.shape[:2], 9, np.uint8), name="a.png")
    third = dialog(clear, tmp_path / "a.png")
    third.format.setCurrentIndex(third.format.findData("jpeg"))
    assert "alpha is left out" in third.note.text() and "384 × 256 px" in third.note.text()


def test_a_route_is_saved_as_a_remedy_and_applied(opened, qtbot, tmp_path, monkeypatch):
    propose(opened, qtbot)
    route, path = opened.session.route, tmp_path / "night.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    opened.actions_by_name["save_remedy"].trigger()
    saved = json.loads(path.read_text())
    assert saved["camera"] == "Quillmark Q3" and saved["iso"] == 12800 and len(saved["steps"]) == 4
    assert not opened.isWindowModified()
    for step in route:
        opened.session.remove_step(step.id)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    opened.actions_by_name["apply_remedy"].trigger()
    assert opened.session.route == route and opened.session.history.undo_label == "Apply night"
    path.write_text(path.read_text().replace('"mix": 1.0', '"mix": 7'))
    opened.actions_by_name["apply_remedy"].trigger()
    assert (
        opened.message.isVisible()
        and "night.json" in opened.message.text.text()
        and "'mix' is 7" in opened.message.text.text()
    )
    assert opened.session.route == route
    settle(opened, qtbot)


def test_proofs_fill_the_strip_grow_and_show_large(opened, qtbot):
    propose(opened, qtbot)
    strip, proofs = opened.proof_strip, opened.proofs
    room = strip._scroll.viewport().width()
    assert sum(tile.width() for tile in strip.tiles[:5]) + 4 * 8 == pytest.approx(room, abs=12)
    height = proofs.half.height()
    qtbot.mousePress(strip.grip, Qt.MouseButton.LeftButton, pos=QPoint(50, 2))
    qtbot.mouseMove(strip.grip, QPoint(50, -58))
    qtbot.mouseRelease(strip.grip, Qt.MouseButton.LeftButton, pos=QPoint(50, -58))
    assert proofs.half.height() == height + 60 == opened.memory.get("proof_height", 0)
    strip.set_height(2000)
    assert proofs.half.height() == HIGHEST
    strip.set_height(104)
    view = (opened.canvas.zoom, opened.compare.now.mode)
    tile = strip.tiles[3]
    qtbot.mousePress(tile, Qt.MouseButton.LeftButton, pos=QPoint(30, 60))
    qtbot.waitUntil(lambda: opened.compare.now.mode == "pair", timeout=3000)
    assert opened.canvas.zoom == 1.0 and opened.tiles.view.region.contains(int(tile.proof.x), int(tile.proof.y))
    qtbot.mouseRelease(tile, Qt.MouseButton.LeftButton, pos=QPoint(30, 60))
    assert (opened.canvas.zoom, opened.compare.now.mode) == view
    opened.canvas.set_zoom(1.0)
    opened.canvas.show_point(proofs.items[1].x, proofs.items[1].y)
    opened.canvas.grab()
    places, middle = list(proofs.items), opened.canvas.rect().center()
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(opened.canvas, middle + QPoint(40, 30))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=middle + QPoint(40, 30))
    assert proofs.items == places
    settle(opened, qtbot)


def test_a_click_goes_to_actual_pixels_and_back(opened, qtbot):
    opened.canvas.resize(500, 300)
    opened.canvas.fit()
    at = opened.canvas.rect().center()
    qtbot.mouseClick(opened.canvas, Qt.MouseButton.LeftButton, pos=at)
    assert opened.canvas.zoom == 1.0
    qtbot.mouseClick(opened.canvas, Qt.MouseButton.LeftButton, pos=at)
    assert opened.canvas.fitted
    settle(opened, qtbot)


def test_what_is_held_ends_when_the_window_is_left(opened, qtbot):
    qtbot.keyPress(opened, Qt.Key.Key_H)
    assert opened.canvas.holding
    opened.isActiveWindow = lambda: False
    QApplication.sendEvent(opened, QEvent(QEvent.Type.ActivationChange))
    assert not opened.canvas.holding


def test_space_pans_and_keys_reach_the_window_from_anywhere(opened, qtbot):
    opened.canvas.set_zoom(4.0)
    assert opened.focusWidget() in (None, opened)  # no button, list or field
    corner = opened.canvas._corner
    qtbot.keyPress(opened, Qt.Key.Key_Space)
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(200, 150))
    qtbot.mouseMove(opened.canvas, QPoint(150, 120))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(150, 120))
    qtbot.keyRelease(opened, Qt.Key.Key_Space)
    assert opened.canvas._corner == corner + QPointF(-50, -30)
    settle(opened, qtbot)


def test_a_finding_says_how_far_it_is_mended(opened, qtbot):
    propose(opened, qtbot)
    qtbot.waitUntil(lambda: opened.findings.faults is not None, timeout=20000)
    finding = next(f for f in opened.findings.all if f.what == "noise")
    assert [word_for(finding, share)[0] for share in (0.0, 1.0, 0.01, -1.0)] == [
        "quiet",
        "quieted",
        "1 % quieted",
        "quieted in part",
    ]
    harm = replace(finding, harm=True, step="sharpen", what="halo")
    assert word_for(harm, 1.0)[0] == "ease"
    chips = {chip.finding.what: chip for chip in opened.findings._chips}
    assert not chips["noise"].button.isCheckable() and "Click" not in chips["noise"].button.toolTip()
    assert "Click to mark" in chips["hot_pixels"].button.toolTip()


def test_a_dark_picture_is_offered_light_and_gets_it_by_one_click(window, qtbot):
    pixels = (noisy_picture("bench", iso=12800, size=(500, 340)).pixels * 0.25).astype(np.uint8)
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open_from(lambda: Source(pixels), "dark.png")
    settle(window, qtbot)
    propose(window, qtbot)
    qtbot.waitUntil(lambda: any(f.what == "dark" for f in window.findings.faults or ()), timeout=20000)
    session = window.session
    at_rest = session.route.first_of("exposure")
    assert at_rest is not None and at_rest.params.ev == 0
    quiet_before = resolved_noise(session)
    next(chip for chip in window.findings._chips if chip.finding.what == "dark").act.click()
    qtbot.waitUntil(lambda: session.route.first_of("exposure").params.ev > 1, timeout=20000)
    settle(window, qtbot)
    assert len([step for step in session.route if step.kind == "exposure"]) == 1
    assert resolved_noise(session) != quiet_before  # noise is proposed again, for the light as it is now
    session.undo()
    assert session.route.first_of("exposure").params.ev == 0


def resolved_noise(session):
    plan = session.engine.plan(session.document)
    return next(step.params for step in plan.all_active if step.kind.kind == "noise")


def test_harm_is_eased_by_one_click(opened, qtbot):
    session = opened.session
    session.add_step("sharpen")
    harsh = replace(session.step.params, amount=400.0, radius=2.0, halo_light=1.0, halo_dark=1.0, noise_gate=0.0)
    session.change_step(replace(session.step, params=harsh), "harsh")
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: any(f.what == "halo" for f in opened.findings.harm), timeout=20000)
    chip = next(c for c in opened.findings._chips if c.finding.what == "halo")
    with qtbot.waitSignal(session.edited, timeout=30000):
        chip.act.click()
    assert session.history.undo_label.startswith("Ease: halos") and session.step.params.amount < 400
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: not any(f.what == "halo" for f in opened.findings.harm), timeout=20000)


def test_the_empty_window_offers_what_can_be_done(window, qtbot, picture_file, tmp_path):
    page = window.start_page
    assert window.pages.currentWidget() is page and not window.route_bar.isVisible()
    window.memory.add_recent([picture_file, tmp_path / "gone.png"])
    page.refresh()
    qtbot.wait(20)
    words = [b.text() for b in page.findChildren(QPushButton) if b.isVisibleTo(page)]
    assert picture_file.name in words and "gone.png" not in words and any("Bench" in word for word in words)
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        next(b for b in page.findChildren(QPushButton) if b.text() == picture_file.name).click()
    settle(window, qtbot)
    assert window.route_bar.isVisible()


def test_the_start_page_shows_how_far_pictures_are(opened, qtbot, picture_file):
    page, session = opened.start_page, opened.session
    qtbot.waitUntil(lambda: session.kept.picture(session.kept_name) is not None, timeout=10000)
    before = session.kept.picture(session.kept_name)
    opened.memory.add_recent([picture_file])

    def tile():
        page.refresh()
        return next(t for t in page.findChildren(PictureTile) if t.text() == picture_file.name and t.isEnabled())

    assert tile().words == "no steps yet" and tile().image == before
    propose(opened, qtbot)
    session.keep_take()
    session.keep_work()
    qtbot.waitUntil(lambda: session.kept.picture(session.kept_name) != before, timeout=10000)
    assert tile().words == f"{len(session.route)} steps, 1 take, not exported"
    session.mark_safe(session.document)
    assert tile().words.endswith(", exported")
    assert tile().accessibleName() == f"{picture_file.name}, {tile().words}"
    assert len({tile().grab().toImage().pixel(x, y) for x in range(8, 160, 8) for y in range(8, 100, 8)}) > 50


def test_a_route_is_proposed_when_opening_where_that_is_wished(window, qtbot, picture_file):
    window.actions_by_name["propose_always"].trigger()
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open(picture_file)
    qtbot.waitUntil(lambda: len(window.session.route) == 4, timeout=20000)
    settle(window, qtbot)
    assert window.memory.get("propose_when_opening", False) is True


def test_the_lamp_does_not_change_the_values_under_the_pointer(opened, qtbot):
    opened.canvas.set_zoom(4.0)
    opened.canvas.show_point(360, 240)
    settle(opened, qtbot)
    at = (QPoint(360, 240).toPointF() * 4 + opened.canvas._corner + QPointF(2, 2)).toPoint()
    values = " ".join(str(v) for v in opened.session.engine.source.pixels[240, 360])
    for lamp in (0.0, 3.0):
        opened.compare.change_appearance(lamp=lamp)
        qtbot.mouseMove(opened.canvas, at + QPoint(40, 0))
        qtbot.mouseMove(opened.canvas, at)
        qtbot.waitUntil(lambda: f"360, 240     {values}" in opened.canvas.caption, timeout=5000)
    settle(opened, qtbot)


def test_the_values_follow_the_route_while_the_pointer_rests(opened, qtbot):
    opened.canvas.set_zoom(4.0)
    opened.canvas.show_point(200, 140)
    settle(opened, qtbot)
    at = (QPointF(200.5, 140.5) * opened.canvas.scale + opened.canvas._corner).toPoint()
    qtbot.mouseMove(opened.canvas, at + QPoint(40, 0))
    qtbot.mouseMove(opened.canvas, at)
    before = " ".join(str(v) for v in opened.session.engine.source.pixels[140, 200])
    qtbot.waitUntil(lambda: opened.canvas.caption.endswith(f"{before}  →  {before}"), timeout=5000)
    opened.session.add_step("exposure")
    step = opened.session.step
    opened.session.change_step(replace(step, params=replace(step.params, ev=1.0)), "lift")
    settle(opened, qtbot)
    session = opened.session
    rendered = session.engine.render(session.engine.plan(session.document), (200, 140, 201, 141))
    after = " ".join(str(v) for v in from_working(rendered, dtype=np.uint8)[0, 0])
    assert after != before
    qtbot.waitUntil(lambda: opened.canvas.caption.endswith(f"{before}  →  {after}"), timeout=5000)


def test_two_quick_clicks_on_a_dot_switch_twice_and_cards_shrink_to_names(opened, qtbot):
    opened.session.add_step("noise")
    card = opened.route_bar._cards["noise"]
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(15, 15))
    qtbot.mouseDClick(card, Qt.MouseButton.LeftButton, pos=QPoint(15, 15))
    assert opened.session.step.on  # off, and on again; no name was asked for
    wide = card.width()
    for _ in range(8):
        opened.actions_by_name["duplicate"].trigger()
    assert opened.route_bar._cards["noise"].width() < wide
    settle(opened, qtbot)


def test_a_tiny_ellipse_can_be_made_larger(opened, qtbot):
    opened.session.add_step("exposure")
    opened.canvas.parts.set_open(True)
    opened.canvas.parts.add("ellipse")
    part = opened.session.step.where.parts[0]
    tiny = replace(part, params=replace(part.params, rx=0.005, ry=0.005))
    opened.session.change_step(
        replace(opened.session.step, where=replace(opened.session.step.where, parts=(tiny,))), "tiny"
    )
    settle(opened, qtbot)
    picture = opened.canvas.picture_rect().toRectF()
    handle = opened.canvas.ellipse.handles(picture)["width"].toPoint()
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=handle)
    qtbot.mouseMove(opened.canvas, handle + QPoint(80, 0))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=handle + QPoint(80, 0))
    assert opened.session.step.where.parts[0].params.rx == pytest.approx(0.005 + 80 / picture.width(), abs=0.01)
    settle(opened, qtbot)


def test_custom_widgets_tell_screen_readers_what_they_are(opened, qtbot):
    from PyQt6.QtWidgets import QAbstractButton, QAbstractSlider

    propose(opened, qtbot)
    for slider in (
        *[f.groove for f in opened.controls.fields.values() if hasattr(f, "groove")],
        opened.compare_bar.lamp,
    ):
        assert isinstance(slider, QAbstractSlider) and slider.accessibleName() and slider.accessibleDescription()
    luminance = opened.controls.fields["luminance"]
    assert luminance.groove.accessibleDescription().startswith(luminance.entry.text())
    for card in opened.route_bar._cards.values():
        assert isinstance(card, QAbstractButton) and card.accessibleName().startswith("Step ")
    qtbot.waitUntil(lambda: all(t.accessibleDescription() for t in opened.proof_strip.tiles[:5]), timeout=10000)
    assert all(isinstance(tile, QAbstractButton) for tile in opened.proof_strip.tiles)


def test_a_raw_route_is_pasted_without_its_development(opened, qtbot):
    develop, noise = new_step("develop", "develop"), new_step("noise", "noise")
    opened.session.paste(write_steps(develop, noise))
    assert [step.kind for step in opened.session.route] == ["noise"] and "Develop" in opened.message.text.text()
    opened.message.hide()
    opened.session.paste(write_steps(develop))
    assert [step.kind for step in opened.session.route] == ["noise"] and "Develop" in opened.message.text.text()
    settle(opened, qtbot)


def test_a_step_from_the_list_comes_with_what_is_proposed(window, qtbot):
    dark = Source((noisy_picture("bench", iso=800, size=(600, 400)).pixels * 0.3).astype(np.uint8))
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open_from(lambda: dark, "dark")
    with qtbot.waitSignal(window.session.edited, timeout=20000):
        window.route_bar.steps.chosen.emit("exposure")
    assert window.session.step.params.ev > 0.3
    settle(window, qtbot)


def test_a_folder_opens_its_pictures_and_says_when_it_has_none(window, qtbot, pictures, tmp_path):
    (tmp_path / "notes.txt").write_text("no picture")
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        drop(window, [tmp_path])
    settle(window, qtbot)
    assert window.session.pictures.paths == sorted(pictures)
    empty = tmp_path / "empty"
    empty.mkdir()
    drop(window, [empty])
    assert "no picture" in window.message.text.text() and window.session.pictures.paths == sorted(pictures)


def test_walking_keeps_up_with_the_keys_and_looks_at_the_same_place(window, qtbot, tmp_path, noisy):
    paths = [tmp_path / f"{number:02d}.png" for number in range(24)]
    for number, path in enumerate(paths):
        save_picture(path, np.roll(noisy.pixels, number, axis=1), noisy.metadata, FORMATS["png"])
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.open_files(paths)
    settle(window, qtbot)
    window.canvas.look_at(QPointF(150, 120), 3.0)
    window.compare.set(mode="wipe")
    centre = window.canvas.centre
    for _ in range(20):
        qtbot.keyClick(window, Qt.Key.Key_PageDown)
        qtbot.wait(30)
    qtbot.waitUntil(lambda: window.session.path == paths[20], timeout=20000)
    settle(window, qtbot)
    assert window.canvas.zoom == 3.0 and window.canvas.centre == centre and window.compare.now.mode == "wipe"
    qtbot.keyClick(window, Qt.Key.Key_PageUp)
    qtbot.waitUntil(lambda: window.session.path == paths[19], timeout=20000)
    settle(window, qtbot)


def test_small_pictures_are_kept_whole_or_not_at_all(tmp_path, monkeypatch):
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(0x406080)
    kept = KeptWork(tmp_path / "routes")
    monkeypatch.setattr("dustpan.ui.session.kept._MOST_KEPT", 3)
    for number in range(5):
        kept.keep_picture(f"picture {number}", image)
    assert len(list(kept.folder.iterdir())) == 3 and kept.picture("picture 4").size() == image.size()
    kept.keep_picture("nothing", QImage())  # can't be written
    assert kept.picture("nothing") is None and len(list(kept.folder.iterdir())) == 3
    (tmp_path / "file").touch()
    KeptWork(tmp_path / "file").keep_picture("picture", image)  # no folder: no reason to stop
    assert KeptWork(tmp_path / "file").picture("picture") is None


def test_kept_work_that_is_damaged_counts_as_none(tmp_path):
    kept = KeptWork(tmp_path)
    model = NoiseModel(np.full((5, 3, 17), 0.02, np.float32), np.ones((5, 3, 8, 8), np.float32))
    route, noise = Route((new_step("noise", "noise"),)), model.to_json()
    work = Work(Document(route, noise), {"one": Document()}, "noise", True, {"zoom": 2.0})
    kept.keep("picture", work)
    assert kept.find("picture") == work and kept.find("another") is None
    (file,) = tmp_path.glob("*.json")
    whole = json.loads(file.read_text())
    file.write_text(json.dumps(whole | {"view": [1], "chosen": 7}))
    assert kept.find("picture") == Work(work.document, work.takes, None, True, {})
    damaged = json.dumps(whole).replace('"sigma"', '"sigmas"')
    for text in ("", "[]", "{", json.dumps(whole | {"takes": 3}), damaged, json.dumps(whole | {"version": 9})):
        file.write_text(text)
        assert kept.find("picture") is None
