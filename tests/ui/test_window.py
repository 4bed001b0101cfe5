"""The real window, offscreen: opened, clicked, dragged, typed into."""

from __future__ import annotations

import random
import threading

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from tests.ui.steer import drag, in_view, on_screen, propose, settle, type_value

from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.store import Stores
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.memory import Memory
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.session import exporting
from dustpan.ui.widgets.sliders import NumberSlider


def test_what_is_on_screen_at_100_percent_is_the_export_bit_for_bit(opened_large, qtbot, tmp_path):
    propose(opened_large, qtbot)
    opened_large.canvas.resize(900, 700)
    opened_large.actions_by_name["zoom1"].trigger()
    opened_large.session.add_step("exposure")
    type_value(qtbot, opened_large.controls.fields["shadows"], 0.3)
    settle(opened_large, qtbot)
    target = tmp_path / "out.png"
    with qtbot.waitSignal(opened_large.session.exporting.saved, timeout=30000):
        opened_large.session.exporting.export(target, "png", quality=90, overwrite=False)
    exported = read_picture(target)
    for key in (None, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Up):  # strips of the view, then blocks
        if key:
            qtbot.keyClick(opened_large.canvas, key)
            settle(opened_large, qtbot)
        shown = in_view(opened_large, on_screen(opened_large))
        assert shown.shape[0] > 300 and np.array_equal(shown, in_view(opened_large, exported.pixels))
    assert exported.metadata.camera == "Quillmark Q3"
    assert "Saved" in opened_large.message.text.text()


def test_strips_of_views_that_were_left_are_not_kept(opened_large, qtbot):
    propose(opened_large, qtbot)
    opened_large.canvas.set_zoom(4.0)
    opened_large.canvas.show_point(120, 120)
    type_value(qtbot, opened_large.controls.fields["luminance"], 40)  # what was exact is so no more
    settle(opened_large, qtbot)
    assert opened_large.tiles.strips
    for x, y in ((600, 360), (120, 360)):
        opened_large.session.engine.stores = Stores.of(1 << 20)  # as when the picture is large: no block is at hand
        opened_large.canvas.show_point(x, y)
        settle(opened_large, qtbot)
        tiles = opened_large.tiles
        assert all(piece.area.intersects(tiles.view.region) for piece in tiles.strips) and len(tiles.strips) <= 4


def test_propose_drag_and_undo(opened, qtbot):
    start = on_screen(opened)
    propose(opened, qtbot)
    session = opened.session
    assert [step.kind for step in session.route] == ["hot_pixels", "exposure", "noise", "sharpen"]
    session.choose("noise")
    assert session.step.params.auto
    slider = opened.controls.fields["luminance"]
    proposed = slider.value
    assert slider._measured == proposed and "proposed" in opened.controls.back.text()
    entries = len(session.history.entries)
    drag(qtbot, slider.groove, [0.9, 0.7, 0.5, 0.3])
    settle(opened, qtbot)
    assert len(session.history.entries) == entries + 1
    assert session.history.undo_label == "Noise: luminance"
    assert not session.step.params.auto and session.step.params.luminance == pytest.approx(30, abs=2)
    assert session.step.params.colour == opened.session.plan.find("noise").measured.colour
    assert slider._measured == proposed
    assert "Undo Noise: luminance" in opened.actions_by_name["undo"].text()
    opened.actions_by_name["undo"].trigger()
    settle(opened, qtbot)
    assert session.step.params.auto and slider.value == proposed
    opened.actions_by_name["undo"].trigger()
    settle(opened, qtbot)
    assert len(session.route) == 0 and np.array_equal(on_screen(opened), start)


def test_mix_and_the_ellipse_do_not_run_the_filter_again(opened, qtbot):
    opened.session.engine.stores = Stores.of(1 << 28)  # nothing is at hand from other tests
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    type_value(qtbot, opened.controls.foot.mix, 80)  # the first draft of this view
    settle(opened, qtbot)
    engine = opened.session.engine
    ran = engine.runs["noise"]
    type_value(qtbot, opened.controls.foot.mix, 60)
    settle(opened, qtbot)
    qtbot.mouseClick(opened.controls.foot.where, Qt.MouseButton.LeftButton)
    opened.canvas.parts.add("ellipse")
    settle(opened, qtbot)
    type_value(qtbot, opened.controls.where_panel.fields.sliders["cx"], 0.3)
    settle(opened, qtbot)
    assert engine.runs["noise"] == ran  # neither for drafts nor for exact pixels
    assert opened.session.step.where.parts[0].params.cx == 0.3


def test_a_bad_file_is_told_and_changes_nothing(opened, qtbot, tmp_path):
    propose(opened, qtbot)
    document, title = opened.session.document, opened.header.title.text()
    bad = tmp_path / "broken.jpg"
    bad.write_bytes(b"\xff\xd8\xff" + b"\x00" * 90)
    with qtbot.waitSignal(opened.session.told, timeout=10000):
        opened.session.opening.open(bad)
    assert opened.message.isVisible() and "broken.jpg" in opened.message.text.text()
    assert opened.session.document is document and opened.header.title.text() == title
    assert not opened.header.task_bar.lines[0].isVisible()


def test_typed_values_keys_and_wheel(opened, qtbot):
    opened.session.add_step("exposure")
    settle(opened, qtbot)
    slider = opened.controls.fields["ev"]
    qtbot.mouseClick(slider.entry, Qt.MouseButton.LeftButton)
    assert slider.entry.selectedText() == slider.entry.text()
    qtbot.keyClicks(slider.entry, "1,5 stops")
    qtbot.keyClick(slider.entry, Qt.Key.Key_Return)
    assert opened.session.step.params.ev == 1.5 and not slider.entry.hasFocus()
    qtbot.keyClick(slider.groove, Qt.Key.Key_Right)
    assert opened.session.step.params.ev == pytest.approx(1.55)
    qtbot.keyClick(slider.groove, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.step.params.ev == pytest.approx(1.54)
    type_value(qtbot, slider, 99)
    assert opened.session.step.params.ev == 5
    type_value(qtbot, slider, "junk")
    assert slider.entry.text() == "5.00 stops"
    slider.entry.setFocus()
    qtbot.keyClicks(slider.entry, "2")
    qtbot.keyClick(slider.entry, Qt.Key.Key_Escape)
    assert slider.entry.text() == "5.00 stops" and opened.session.step.params.ev == 5
    qtbot.mouseDClick(slider.groove, Qt.MouseButton.LeftButton)
    assert opened.session.step.params.ev == 0


def test_over_tone_handles_are_dragged_and_moved_by_keys(opened, qtbot):
    propose(opened, qtbot)
    plot = opened.controls.fields["over_tone"]
    place = plot._handle(2)
    qtbot.mousePress(plot, Qt.MouseButton.LeftButton, pos=place.toPoint())
    qtbot.mouseMove(plot, QPoint(round(place.x()), plot.height() - 9))
    qtbot.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(round(place.x()), plot.height() - 9))
    factors = opened.session.step.params.over_tone
    assert factors[2] < 0.1 and factors[1] == 1.0
    plot.chosen = 4
    qtbot.keyClick(plot, Qt.Key.Key_Up)
    assert opened.session.step.params.over_tone[4] == pytest.approx(1.05)


def test_cards_switch_move_and_leave(opened, qtbot):
    session = opened.session
    session.add_step("noise")
    session.add_step("exposure")
    assert [s.kind for s in session.route] == ["exposure", "noise"]
    card = opened.route_bar._cards["noise"]
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(100, 20))
    assert session.chosen_id == "noise"
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(15, 15))
    assert not session.route.find("noise").on
    opened.actions_by_name["switch"].trigger()
    assert session.route.find("noise").on
    opened.actions_by_name["earlier"].trigger()
    assert [s.kind for s in session.route] == ["noise", "exposure"]
    opened.actions_by_name["next"].trigger()
    assert session.chosen_id == "exposure"
    opened.actions_by_name["remove"].trigger()
    assert [s.kind for s in session.route] == ["noise"] and session.chosen_id == "noise"
    settle(opened, qtbot)


def test_hold_and_wipe_show_the_original(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    opened.actions_by_name["frames"].trigger()
    cleaned = opened.canvas.grab().toImage()
    qtbot.keyPress(opened, Qt.Key.Key_H)
    assert opened.canvas.holding
    original = opened.canvas.grab().toImage()
    qtbot.keyRelease(opened, Qt.Key.Key_H)
    assert not opened.canvas.holding
    opened.actions_by_name["wipe"].trigger()
    both = opened.canvas.grab().toImage()
    line, y = opened.canvas.wipe.line(opened.canvas.shown), opened.canvas.height() // 2 + 90
    left, right = range(line - 200, line - 40), range(line + 40, line + 200)
    assert all(both.pixel(x, y) == original.pixel(x, y) for x in left)
    assert all(both.pixel(x, y) == cleaned.pixel(x, y) for x in right)
    assert any(original.pixel(x, y) != cleaned.pixel(x, y) for x in right)
    opened.canvas.fit()
    settle(opened, qtbot)
    plain = opened.canvas.grab().toImage()
    opened.actions_by_name["frames"].trigger()
    framed = opened.canvas.grab().toImage()
    for _, label in opened.proof_strip._labels:  # what can be taken hold of is seen, on either side
        x, y2 = round(label.left()) + 1, round(label.top()) + 1
        assert framed.pixel(x, y2) != plain.pixel(x, y2)
    assert min(label.right() for _, label in opened.proof_strip._labels) < opened.canvas.wipe.line(opened.canvas.shown)
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(line, y))
    qtbot.mouseMove(opened.canvas, QPoint(line + 120, y))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(line + 120, y))
    assert opened.canvas.wipe.line(opened.canvas.shown) == pytest.approx(line + 120, abs=2)


def test_zoom_keeps_the_point_under_the_pointer_and_panning_computes_nothing(opened, qtbot):
    canvas: Canvas = opened.canvas
    at = canvas.rect().center().toPointF()
    before = (at - canvas._corner) / canvas.zoom
    canvas.zoom_by(1, at)
    canvas.zoom_by(1, at)
    after = (at - canvas._corner) / canvas.zoom
    assert (before - after).manhattanLength() < 2
    for name, zoom in (("zoom1", 1.0), ("zoom2", 2.0), ("zoom4", 4.0)):
        opened.actions_by_name[name].trigger()
        assert canvas.zoom == zoom
    propose(opened, qtbot)
    canvas.fit()
    settle(opened, qtbot)
    canvas.set_zoom(1.0)
    settle(opened, qtbot)
    runs = dict(opened.session.engine.runs)
    qtbot.mousePress(canvas, Qt.MouseButton.MiddleButton, pos=QPoint(300, 300))
    for x in range(300, 100, -20):
        qtbot.mouseMove(canvas, QPoint(x, x))
    qtbot.mouseRelease(canvas, Qt.MouseButton.MiddleButton, pos=QPoint(100, 100))
    opened.actions_by_name["fit"].trigger()
    settle(opened, qtbot)
    assert {k: v for k, v in opened.session.engine.runs.items()} == runs


def test_an_export_can_be_cancelled_and_leaves_no_file(opened, qtbot, tmp_path, monkeypatch):
    propose(opened, qtbot)
    target = tmp_path / "out.tif"
    begun, stopped, ended, export = threading.Event(), threading.Event(), [], exporting.export_picture

    def export_when_stopped(*given, **how):
        begun.set()
        stopped.wait(60)  # however fast the machine, it is cancelled while it runs
        try:
            return export(*given, **how)
        finally:
            ended.append(True)

    monkeypatch.setattr(exporting, "export_picture", export_when_stopped)
    opened.session.exporting.export(target, "tiff16", quality=90, overwrite=False)
    line = opened.header.task_bar.lines[0]
    assert line.isVisible() and "out.tif" in line.label.text()
    qtbot.waitUntil(begun.is_set, timeout=60_000)  # one that waits for its turn would not begin at all
    qtbot.mouseClick(line.stop, Qt.MouseButton.LeftButton)
    assert not line.isVisible() and not opened.session.tasks.running
    stopped.set()
    qtbot.waitUntil(lambda: bool(ended), timeout=60_000)
    settle(opened, qtbot)
    assert [path.name for path in tmp_path.iterdir() if path.is_file()] == []


def test_the_export_dialog_says_what_will_happen(qtbot, tmp_path):
    source = Source(np.zeros((9, 9, 3), np.uint8), name="night.png", metadata=Metadata(iso=800))
    dialog = ExportDialog(tmp_path / "night.png", source)
    qtbot.addWidget(dialog)
    assert dialog.target == tmp_path / "night-cleaned.png" and dialog.go.isEnabled()
    dialog.format.setCurrentIndex(dialog.format.findData("jpeg"))
    assert dialog.target.suffix == ".jpg" and not dialog.quality.isHidden()
    save_picture(dialog.target, np.zeros((9, 9, 3), np.uint8), Metadata(), FORMATS["jpeg"])
    dialog._check()
    assert not dialog.go.isEnabled() and "of this name already" in dialog.note.text()
    dialog.overwrite.setChecked(True)
    assert dialog.go.isEnabled() and "will be replaced" in dialog.note.text()
    dialog.folder.setText(str(tmp_path / "no"))
    assert not dialog.go.isEnabled() and "no folder" in dialog.note.text()
    dialog.folder.setText(str(tmp_path))
    dialog.name.setText("{name} at {iso}")
    assert dialog.target.name == "night at 800.jpg" and dialog.go.isEnabled()
    dialog.name.setText("{nom}")
    assert not dialog.go.isEnabled() and "pattern" in dialog.note.text()


def test_random_actions_then_undo_leave_identical_pixels(opened_large, qtbot):
    opened_large.canvas.set_zoom(1.0)
    settle(opened_large, qtbot)
    start, rng = on_screen(opened_large), random.Random(4)
    session = opened_large.session
    for _ in range(40):
        opened_large.actions_by_name[
            rng.choice(
                ["switch", "next", "previous", "earlier", "later", "duplicate", "undo", "redo", "fit", "zoom1", "wipe"]
            )
        ].trigger()
        if rng.random() < 0.3 and len(session.route) < 5:
            session.add_step(rng.choice(list(kinds())))
        if session.step and rng.random() < 0.7:
            field = rng.choice([f for f in opened_large.controls.fields.values() if isinstance(f, NumberSlider)])
            drag(qtbot, field.groove, [rng.random(), rng.random()])
        if rng.random() < 0.1 and session.step:
            opened_large.actions_by_name["remove"].trigger()
        qtbot.wait(2)
    while session.history.undo_label:
        opened_large.actions_by_name["undo"].trigger()
    opened_large.canvas.set_zoom(1.0)
    settle(opened_large, qtbot)
    assert np.array_equal(on_screen(opened_large), start)


def test_every_control_has_a_tooltip_and_a_name(opened, qtbot):
    from PyQt6.QtWidgets import QAbstractButton, QComboBox

    propose(opened, qtbot)
    for kind in (QAbstractButton, QComboBox):
        for widget in opened.findChildren(kind):
            if widget.isVisible() and not widget.parent().inherits("QMessageBox"):
                assert widget.toolTip(), widget
                assert widget.accessibleName() or getattr(widget, "text", lambda: "")(), widget
    for action in opened.actions_by_name.values():
        assert action.toolTip().strip() and not action.shortcut().isEmpty()
    opened.actions_by_name["keys"].trigger()


def test_cards_are_dragged_duplicated_and_renamed(opened, qtbot, monkeypatch):
    propose(opened, qtbot)
    bar, session = opened.route_bar, opened.session
    card, last = bar._cards["hot_pixels"], bar._cards["sharpen"]
    goal = card.mapFromGlobal(last.mapToGlobal(last.rect().center() + QPoint(30, 0)))
    qtbot.mousePress(card, Qt.MouseButton.LeftButton, pos=QPoint(100, 20))
    qtbot.mouseMove(card, QPoint(130, 20))
    qtbot.mouseMove(card, goal)
    assert bar._mark.isVisible()
    qtbot.mouseRelease(card, Qt.MouseButton.LeftButton, pos=goal)
    assert [s.id for s in session.route] == ["exposure", "noise", "sharpen", "hot_pixels"]
    assert not bar._mark.isVisible() and session.history.undo_label == "Move Hot pixels later"
    session.choose("noise")
    opened.actions_by_name["duplicate"].trigger()
    assert [s.id for s in session.route][1:3] == ["noise", "noise_2"] and session.chosen_id == "noise_2"
    monkeypatch.setattr("dustpan.ui.route.route_bar.QInputDialog.getText", lambda *a, **k: ("Second pass", True))
    opened.actions_by_name["rename"].trigger()
    assert session.step.name == "Second pass" and opened.controls.title.text() == "Second pass"
    settle(opened, qtbot)


def test_the_step_list_is_searched_by_words_and_keys(opened, qtbot):
    steps = opened.route_bar.steps
    opened.actions_by_name["add"].trigger()
    qtbot.keyClicks(steps.search, "halos down")
    shown = [steps.list.item(n) for n in range(steps.list.count()) if not steps.list.item(n).isHidden()]
    assert [item.data(Qt.ItemDataRole.UserRole) for item in shown] == ["sharpen"]
    with qtbot.waitSignal(opened.session.chosen, timeout=20000):
        qtbot.keyClick(steps.search, Qt.Key.Key_Return)
    assert not steps.isVisible() and opened.session.step.kind == "sharpen"
    opened.actions_by_name["add"].trigger()
    before = steps.list.currentRow()
    qtbot.keyClick(steps.search, Qt.Key.Key_Down)
    assert steps.list.currentRow() == before + 1
    qtbot.keyClicks(steps.search, "nothing like it")
    qtbot.keyClick(steps.search, Qt.Key.Key_Return)
    assert len(opened.session.route) == 1
    steps.hide()
    settle(opened, qtbot)


def test_the_ellipse_is_moved_sized_and_turned_on_the_picture(opened, qtbot):
    opened.session.add_step("exposure")
    opened.canvas.parts.set_open(True)
    opened.canvas.parts.add("ellipse")
    settle(opened, qtbot)
    canvas = opened.canvas
    picture = canvas.picture_rect().toRectF()

    def pull(name, by):
        start = canvas.ellipse.handles(picture)[name].toPoint()
        qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
        qtbot.mouseMove(canvas, start + by)
        qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start + by)
        return opened.session.step.where.parts[0].params

    entries = len(opened.session.history.entries)
    moved = pull("middle", QPoint(60, -30))
    assert moved.cx == pytest.approx(0.5 + 60 / picture.width(), abs=0.01)
    assert moved.cy == pytest.approx(0.5 - 30 / picture.height(), abs=0.01)
    assert pull("width", QPoint(40, 0)).rx == pytest.approx(0.25 + 40 / picture.width(), abs=0.01)
    assert pull("height", QPoint(0, -25)).ry == pytest.approx(0.25 - 25 / picture.height(), abs=0.01)
    assert 5 < pull("turn", QPoint(40, 0)).angle < 60
    assert len(opened.session.history.entries) == entries + 4
    assert opened.controls.where_panel.fields.sliders["cx"].value == pytest.approx(moved.cx)
    assert opened.controls.foot.where.text() == "ellipse"
    qtbot.waitUntil(lambda: canvas.mask_view.settled)
    hatched = canvas.grab().toImage()
    opened.actions_by_name["where"].trigger()
    assert canvas.grab().toImage() != hatched
    settle(opened, qtbot)


def test_dropped_files_open_and_are_remembered(window, qtbot, picture_file, tmp_path):
    from PyQt6.QtCore import QMimeData, QPointF, QUrl
    from PyQt6.QtGui import QDropEvent

    window.memory = Memory(tmp_path / "config" / "window.ini")
    other = tmp_path / "other.png"
    other.write_bytes(picture_file.read_bytes())
    held = QMimeData()
    held.setUrls([QUrl.fromLocalFile(str(picture_file)), QUrl.fromLocalFile(str(other))])
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.dropEvent(QDropEvent(QPointF(400, 400), Qt.DropAction.CopyAction, held, buttons, keys))
    settle(window, qtbot)
    again = Memory(tmp_path / "config" / "window.ini")
    assert again.recent == [str(picture_file)]  # only what was looked at pushes others out
    window.walking._list_recent()
    assert [a.text() for a in window.walking.recent_menu.actions()] == again.recent
    window.display.set_surround("light")
    assert Memory(tmp_path / "config" / "window.ini").get("surround", "dark") == "light"
    (tmp_path / "config" / "window.ini").write_text("[broken")
    assert Memory(tmp_path / "config" / "window.ini").recent == []


def test_values_under_the_pointer_are_those_of_the_files(opened_large, qtbot):
    propose(opened_large, qtbot)
    opened_large.canvas.set_zoom(8.0)
    opened_large.canvas.show_point(360, 240)
    settle(opened_large, qtbot)
    qtbot.waitUntil(lambda: opened_large.canvas.colour_at(QPoint(360, 240), after=False) is not None)
    at = (QPoint(360, 240).toPointF() * 8 + opened_large.canvas._corner + QPoint(4, 4).toPointF()).toPoint()
    qtbot.mouseMove(opened_large.canvas, at)
    before = opened_large.session.engine.source.pixels[240, 360]
    after = on_screen(opened_large)[240, 360]
    words = [" ".join(str(v) for v in values) for values in (before, after)]
    assert opened_large.canvas.caption.split("     ") == ["360, 240", f"{words[0]}  →  {words[1]}"]


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_nothing_is_cut_off(opened, qtbot, size):
    propose(opened, qtbot)
    opened.resize(*size)
    qtbot.wait(100)
    assert (opened.width(), opened.height()) == size
    from PyQt6.QtWidgets import QLabel, QPushButton

    for kind in (QPushButton, QLabel):
        for widget in opened.findChildren(kind):
            if opened.findings.isAncestorOf(widget):  # a row that scrolls
                continue
            if widget.isVisible() and widget.text() and not getattr(widget, "wordWrap", bool)():
                assert widget.width() >= widget.minimumSizeHint().width() - 1, widget.text()
                place = widget.mapTo(opened, QPoint(0, 0))
                assert place.x() >= 0 and place.x() + widget.width() <= size[0], widget.text()


def test_the_wheel_zooms_smoothly_and_rests_at_actual_pixels(opened_large, qtbot):
    from PyQt6.QtCore import QPointF
    from PyQt6.QtGui import QWheelEvent

    canvas, at = opened_large.canvas, QPointF(300, 200)
    canvas.set_zoom(0.5)
    zooms = [canvas.zoom]
    for _ in range(14):
        place = (at - canvas._corner) / canvas.zoom
        no_keys, no_buttons = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.NoButton
        phase = Qt.ScrollPhase.NoScrollPhase
        canvas.wheelEvent(QWheelEvent(at, at, QPoint(), QPoint(0, 120), no_buttons, no_keys, phase, False))
        zooms.append(canvas.zoom)
        if canvas.zoom > 1.5:
            assert ((at - canvas._corner) / canvas.zoom - place).manhattanLength() < 2
    assert zooms == sorted(zooms) and 1.0 in zooms and 2.0 in zooms and max(zooms) <= 16
    settle(opened_large, qtbot)
