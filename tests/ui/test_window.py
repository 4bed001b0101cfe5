"""The real window, offscreen: opened, clicked, dragged, typed into."""

from __future__ import annotations

import random
import threading

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from dustpan.core.picture import Metadata
from dustpan.core.pool import Pool
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.ui import theme
from dustpan.ui.canvas import Canvas
from dustpan.ui.export import ExportDialog
from dustpan.ui.window import Window


@pytest.fixture(scope="session")
def picture_file(tmp_path_factory, noisy):
    path = tmp_path_factory.mktemp("ui") / "night.png"
    save_picture(path, noisy.pixels, noisy.metadata, FORMATS["png"])
    return path


@pytest.fixture
def window(qtbot):
    theme.apply(QApplication.instance())
    made = Window(Pool(2))
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close()
    assert not [t for t in threading.enumerate() if t.name.startswith("dustpan")]


@pytest.fixture
def opened(window, qtbot, picture_file):
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.open(picture_file)
    settle(window, qtbot)
    return window


def settle(window, qtbot):
    """Wait until exact pixels of the newest document are on the screen."""
    states = []
    window.tiles.state.connect(lambda exact, have, wanted: states.append(exact))

    def done():
        tiles = window.tiles
        plan = window.session.plan
        assert plan is not None and tiles._plan_key == plan.key and not tiles._draft_busy
        assert not tiles._missing()

    qtbot.waitUntil(done, timeout=30000)


def on_screen(window) -> np.ndarray:
    """The exact tiles put together, as 8-bit pixels."""
    width, height = window.canvas.size_px
    whole = np.zeros((height, width, 3), np.uint8)
    for (level, column, row), image in window.tiles.exact.items():
        if level == 0:
            image = image.convertToFormat(QImage.Format.Format_RGB888)
            data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
            pixels = data.reshape(image.height(), image.bytesPerLine())[:, : 3 * image.width()]
            y, x = row * 512, column * 512
            whole[y : y + image.height(), x : x + image.width()] = pixels.reshape(image.height(), image.width(), 3)
    return whole


def propose(window, qtbot):
    with qtbot.waitSignal(window.session.edited, timeout=20000):
        window.route_bar.propose_button.click()
    settle(window, qtbot)


def drag(qtbot, groove, parts):
    """Drag a slider's knob over parts of its length with real mouse events."""
    points = [QPoint(round(5.5 + part * (groove.width() - 11)), 8) for part in parts]
    qtbot.mousePress(groove, Qt.MouseButton.LeftButton, pos=points[0])
    for point in points[1:]:
        qtbot.mouseMove(groove, point)
        qtbot.wait(15)
    qtbot.mouseRelease(groove, Qt.MouseButton.LeftButton, pos=points[-1])


def test_what_is_on_screen_at_100_percent_is_the_export_bit_for_bit(opened, qtbot, tmp_path):
    propose(opened, qtbot)
    opened.canvas.resize(900, 700)
    opened.actions_["zoom1"].trigger()
    opened.session.add_step("exposure")
    opened.controls._fields["shadows"].changed.emit(0.3)
    settle(opened, qtbot)
    target = tmp_path / "out.png"
    with qtbot.waitSignal(opened.session.saved, timeout=30000):
        opened.session.export(target, "png", quality=90, overwrite=False)
    exported = read_picture(target)
    assert np.array_equal(on_screen(opened), exported.pixels)
    assert exported.metadata.camera == "Quillmark Q3"
    assert "Saved" in opened.message.text.text()


def test_propose_drag_and_undo(opened, qtbot):
    start = on_screen(opened)
    propose(opened, qtbot)
    session = opened.session
    assert [step.kind for step in session.route] == ["hot_pixels", "exposure", "noise", "sharpen"]
    session.choose("noise")
    assert session.step.params.auto
    slider = opened.controls._fields["luminance"]
    proposed = slider.value
    assert slider._measured == proposed and "proposed" in opened.controls._auto.text()
    entries = len(session.history.entries)
    drag(qtbot, slider.groove, [0.9, 0.7, 0.5, 0.3])
    settle(opened, qtbot)
    assert len(session.history.entries) == entries + 1
    assert session.history.undo_label == "Noise: luminance"
    assert not session.step.params.auto and session.step.params.luminance == pytest.approx(30, abs=2)
    assert session.step.params.colour == opened.session.plan.stage("noise").measured.colour
    assert slider._measured == proposed
    assert "Undo Noise: luminance" in opened.actions_["undo"].text()
    opened.actions_["undo"].trigger()
    settle(opened, qtbot)
    assert session.step.params.auto and slider.value == proposed
    opened.actions_["undo"].trigger()
    settle(opened, qtbot)
    assert len(session.route) == 0 and np.array_equal(on_screen(opened), start)


def test_mix_and_the_ellipse_do_not_run_the_filter_again(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    engine = opened.session.engine
    before = opened.tiles.exact.copy()
    drafts_too = dict(engine.runs)
    opened.controls._mix.changed.emit(60.0)
    settle(opened, qtbot)
    opened.controls._where.setCurrentIndex(1)
    opened.controls._where.activated.emit(1)
    settle(opened, qtbot)
    opened.controls._part_fields["cx"].changed.emit(0.3)
    settle(opened, qtbot)
    assert engine.runs == drafts_too
    assert opened.session.step.where.parts[0].params.cx == 0.3
    assert opened.tiles.exact.keys() & before.keys()


def test_a_bad_file_is_told_and_changes_nothing(opened, qtbot, tmp_path):
    propose(opened, qtbot)
    document, title = opened.session.document, opened.title.text()
    bad = tmp_path / "broken.jpg"
    bad.write_bytes(b"\xff\xd8\xff" + b"\x00" * 90)
    with qtbot.waitSignal(opened.session.told, timeout=10000):
        opened.session.open(bad)
    assert opened.message.isVisible() and "broken.jpg" in opened.message.text.text()
    assert opened.session.document is document and opened.title.text() == title
    assert not opened.progress.isVisible()


def test_typed_values_keys_and_wheel(opened, qtbot):
    opened.session.add_step("exposure")
    settle(opened, qtbot)
    slider = opened.controls._fields["ev"]
    slider.entry.setFocus()
    slider.entry.selectAll()
    qtbot.keyClicks(slider.entry, "1,5 stops")
    qtbot.keyClick(slider.entry, Qt.Key.Key_Return)
    assert opened.session.step.params.ev == 1.5
    qtbot.keyClick(slider.groove, Qt.Key.Key_Right)
    assert opened.session.step.params.ev == pytest.approx(1.55)
    qtbot.keyClick(slider.groove, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.step.params.ev == pytest.approx(1.54)
    slider.entry.setText("99")
    slider.entry.setModified(True)
    slider.entry.editingFinished.emit()
    assert opened.session.step.params.ev == 5
    slider.entry.setText("junk")
    slider.entry.setModified(True)
    slider.entry.editingFinished.emit()
    assert slider.entry.text() == "5.00 stops"
    qtbot.mouseDClick(slider.groove, Qt.MouseButton.LeftButton)
    assert opened.session.step.params.ev == 0


def test_over_tone_handles_are_dragged_and_moved_by_keys(opened, qtbot):
    propose(opened, qtbot)
    plot = opened.controls._fields["over_tone"]
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
    propose(opened, qtbot)
    session = opened.session
    session.add_step("exposure")
    assert [s.kind for s in session.route] == ["exposure", "noise"]
    card = opened.route_bar._cards["noise"]
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(100, 20))
    assert session.chosen_id == "noise"
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(15, 15))
    assert not session.route.find("noise").on
    opened.actions_["switch"].trigger()
    assert session.route.find("noise").on
    opened.actions_["earlier"].trigger()
    assert [s.kind for s in session.route] == ["noise", "exposure"]
    opened.actions_["next"].trigger()
    assert session.chosen_id == "exposure"
    opened.actions_["remove"].trigger()
    assert [s.kind for s in session.route] == ["noise"] and session.chosen_id == "noise"
    settle(opened, qtbot)


def test_hold_and_wipe_show_the_original(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    cleaned = opened.canvas.grab().toImage()
    qtbot.keyPress(opened, Qt.Key.Key_H)
    assert opened.canvas.holding
    original = opened.canvas.grab().toImage()
    qtbot.keyRelease(opened, Qt.Key.Key_H)
    assert not opened.canvas.holding
    opened.actions_["wipe"].trigger()
    both = opened.canvas.grab().toImage()
    line, y = opened.canvas._wipe_x(), opened.canvas.height() // 2 + 90
    left, right = range(line - 200, line - 40), range(line + 40, line + 200)
    assert all(both.pixel(x, y) == original.pixel(x, y) for x in left)
    assert all(both.pixel(x, y) == cleaned.pixel(x, y) for x in right)
    assert any(original.pixel(x, y) != cleaned.pixel(x, y) for x in right)
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(line, y))
    qtbot.mouseMove(opened.canvas, QPoint(line + 120, y))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=QPoint(line + 120, y))
    assert opened.canvas._wipe_x() == pytest.approx(line + 120, abs=2)


def test_zoom_keeps_the_point_under_the_pointer_and_panning_computes_nothing(opened, qtbot):
    canvas: Canvas = opened.canvas
    at = canvas.rect().center().toPointF()
    before = (at - canvas._corner) / canvas.zoom
    canvas.zoom_by(1, at)
    canvas.zoom_by(1, at)
    after = (at - canvas._corner) / canvas.zoom
    assert (before - after).manhattanLength() < 2
    for name, zoom in (("zoom1", 1.0), ("zoom2", 2.0), ("zoom4", 4.0)):
        opened.actions_[name].trigger()
        assert canvas.zoom == zoom
    propose(opened, qtbot)
    canvas.set_zoom(1.0)
    settle(opened, qtbot)
    runs = dict(opened.session.engine.runs)
    qtbot.mousePress(canvas, Qt.MouseButton.MiddleButton, pos=QPoint(300, 300))
    for x in range(300, 100, -20):
        qtbot.mouseMove(canvas, QPoint(x, x))
    qtbot.mouseRelease(canvas, Qt.MouseButton.MiddleButton, pos=QPoint(100, 100))
    opened.actions_["fit"].trigger()
    settle(opened, qtbot)
    assert {k: v for k, v in opened.session.engine.runs.items()} == runs


def test_an_export_can_be_cancelled_and_leaves_no_file(opened, qtbot, tmp_path):
    propose(opened, qtbot)
    target = tmp_path / "out.tif"
    opened.session.export(target, "tiff16", quality=90, overwrite=False)
    assert opened.stop_button.isVisible() and "out.tif" in opened.task_label.text()
    opened.stop_button.click()
    assert not opened.stop_button.isVisible()
    settle(opened, qtbot)
    qtbot.wait(400)
    assert list(tmp_path.iterdir()) == []


def test_the_export_dialog_says_what_will_happen(qtbot, tmp_path):
    dialog = ExportDialog(tmp_path / "night-cleaned", np.dtype(np.uint8))
    qtbot.addWidget(dialog)
    assert dialog.target == tmp_path / "night-cleaned.png" and dialog.go.isEnabled()
    dialog.format.setCurrentIndex(dialog.format.findData("jpeg"))
    assert dialog.target.suffix == ".jpg" and not dialog.quality.isHidden()
    save_picture(dialog.target, np.zeros((9, 9, 3), np.uint8), Metadata(), FORMATS["jpeg"])
    dialog._mind()
    assert not dialog.go.isEnabled() and "is there already" in dialog.note.text()
    dialog.overwrite.setChecked(True)
    assert dialog.go.isEnabled() and "will be replaced" in dialog.note.text()
    dialog.folder.setText(str(tmp_path / "no"))
    assert not dialog.go.isEnabled() and "no folder" in dialog.note.text()


def test_random_actions_then_undo_leave_identical_pixels(opened, qtbot):
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    start, rng = on_screen(opened), random.Random(4)
    session = opened.session
    for _ in range(60):
        opened.actions_[
            rng.choice(["switch", "next", "previous", "earlier", "later", "undo", "redo", "fit", "zoom1", "wipe"])
        ].trigger()
        if rng.random() < 0.3 and len(session.route) < 4:
            session.add_step(rng.choice(["noise", "exposure"]))
        if session.step and rng.random() < 0.7:
            field = opened.controls._fields[
                rng.choice(["luminance", "blotch"] if session.step.kind == "noise" else ["ev", "shadows"])
            ]
            field.changing.emit(field._value_at(rng.random()))
            field.changed.emit(field._value_at(rng.random()))
        if rng.random() < 0.1 and session.step:
            opened.actions_["remove"].trigger()
        qtbot.wait(5)
    while session.history.undo_label:
        opened.actions_["undo"].trigger()
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    assert np.array_equal(on_screen(opened), start)


def test_every_control_has_a_tooltip_and_a_name(opened, qtbot):
    from PyQt6.QtWidgets import QAbstractButton, QComboBox

    propose(opened, qtbot)
    for kind in (QAbstractButton, QComboBox):
        for widget in opened.findChildren(kind):
            if widget.isVisible() and not widget.parent().inherits("QMessageBox"):
                assert widget.toolTip(), widget
                assert widget.accessibleName() or getattr(widget, "text", lambda: "")(), widget
    for action in opened.actions_.values():
        assert action.toolTip().strip() and not action.shortcut().isEmpty()
    opened.actions_["keys"].trigger()
