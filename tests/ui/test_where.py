"""The Where in the window: parts in the panel, hands on the picture, the mask over it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QInputDialog, QMessageBox
from tests.ui.steer import propose, settle

from dustpan.core.document.route import Where
from dustpan.core.render.finishing import Finish
from dustpan.core.where import brush
from dustpan.core.where.words import READY, told
from dustpan.files import read_picture
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.where.mask_view import GREY, HIDDEN

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


@pytest.fixture
def lighter(opened, qtbot):
    """A window with an exposure step whose Where is open in the panel."""
    opened.session.add_step("exposure")
    step = opened.session.step
    opened.session.change_step(replace(step, params=replace(step.params, ev=1.0)), "lighter")
    qtbot.mouseClick(opened.controls.foot.where, LEFT)
    settle(opened, qtbot)
    assert opened.controls.where_panel.isVisible()
    return opened


def where(window) -> Where:
    return window.session.step.where


def mask(window) -> np.ndarray:
    plan = window.session.plan
    return window.session.engine.mask(plan, plan.find(window.session.step.id), (0, 0, *plan.size))


def at(window, x: float, y: float) -> QPoint:
    picture = window.canvas.picture_rect()
    return QPoint(round(picture.x() + x * picture.width()), round(picture.y() + y * picture.height()))


def draw(window, qtbot, *places, button=LEFT) -> None:
    qtbot.mousePress(window.canvas, button, pos=at(window, *places[0]))
    for place in places[1:]:
        qtbot.mouseMove(window.canvas, at(window, *place))
    qtbot.mouseRelease(window.canvas, button, pos=at(window, *places[-1]))


def test_parts_are_added_joined_ordered_and_told(lighter, qtbot):
    parts, panel = lighter.canvas.parts, lighter.controls.where_panel
    for kind in ("edges", "brightness", "flat"):
        parts.add(kind)
    settle(lighter, qtbot)
    rows = list(panel.rows.values())
    rows[1].join.setCurrentIndex(1)
    rows[1].join.activated.emit(1)
    assert told(where(lighter)) == "edges, without darks, plus flats" and panel.line.text().startswith("Edges, without")
    parts.move("flat_1", -1)
    assert [part.kind for part in where(lighter).parts] == ["edges", "flat", "brightness"]
    settle(lighter, qtbot)
    qtbot.mouseClick(panel.rows["flat_1"].switch, LEFT)
    assert not where(lighter).parts[1].on
    menu = panel.rows["edges_1"].more.menu()
    menu.aboutToShow.emit()
    next(action for action in menu.actions() if action.text() == "Invert").trigger()
    assert where(lighter).parts[0].invert
    next(action for action in menu.actions() if action.text() == "Remove").trigger()
    assert [part.kind for part in where(lighter).parts] == ["flat", "brightness"]
    qtbot.waitUntil(lambda: not panel.rows["flat_1"].small.pixmap().isNull())
    qtbot.mouseClick(panel.back, LEFT)
    assert not panel.isVisible() and lighter.controls.foot.isVisible()
    lighter.commands.undo()
    assert len(where(lighter).parts) == 3
    settle(lighter, qtbot)


def test_ready_made_wheres_work_and_leave_something_out(lighter, qtbot):
    panel = lighter.controls.where_panel
    bright = np.quantile(lighter.session.engine.source.pixels.mean(axis=2), 0.99) > 0.8 * 255
    for name in READY:
        panel.ready.menu().aboutToShow.emit()
        next(action for action in panel.ready.menu().actions() if action.text() == name).trigger()
        settle(lighter, qtbot)
        assert where(lighter) == READY[name]
        covered = mask(lighter)
        assert covered.mean() > 0.001 and (covered.min() < 0.5 or (name == "Brightest left out" and not bright)), name
        assert lighter.route_bar._cards[lighter.session.step.id]._partly


def test_a_brush_paints_erases_and_undoes_stroke_by_stroke(lighter, qtbot):
    parts = lighter.canvas.parts
    parts.add("brush")
    parts.set_tip(size=0.1, softness=0.0)
    settle(lighter, qtbot)
    draw(lighter, qtbot, (0.3, 0.5), (0.4, 0.5), (0.5, 0.5), (0.6, 0.5))
    draw(lighter, qtbot, (0.45, 0.2), (0.45, 0.5), (0.45, 0.8), button=RIGHT)
    settle(lighter, qtbot)
    strokes = where(lighter).parts[0].params.strokes
    assert [stroke.mode for stroke in strokes] == ["add", "erase"] and len(strokes[0].points) >= 3
    width, height = lighter.session.plan.size
    covered = mask(lighter)
    assert covered[height // 2, int(0.33 * width)] == 1 and covered[height // 2, int(0.45 * width)] == 0
    size = parts.tip.size
    qtbot.keyClick(lighter.canvas, Qt.Key.Key_Plus)
    assert parts.tip.size > size
    qtbot.mouseMove(lighter.canvas, at(lighter, 0.5, 0.4))
    lighter.canvas.grab()
    lighter.commands.undo()
    assert len(where(lighter).parts[0].params.strokes) == 1
    lighter.commands.undo()
    assert where(lighter).parts[0].params.strokes == ()
    settle(lighter, qtbot)


def test_hundreds_of_strokes_are_not_painted_again_with_every_dab(lighter, qtbot, monkeypatch):
    parts = lighter.canvas.parts
    parts.add("brush")
    rng = np.random.default_rng(1)
    part = parts.part
    from dustpan.core.document.forms import Stroke

    walks = rng.uniform(0.1, 0.9, (250, 1, 2)) + np.cumsum(rng.normal(0, 0.008, (250, 30, 2)), axis=1)
    strokes = tuple(Stroke(tuple((float(x), float(y), 1.0) for x, y in walk), size=0.02) for walk in walks)
    parts.set_params(part, replace(part.params, strokes=strokes), "many strokes")
    settle(lighter, qtbot)
    painted, paint = [], brush.lay_stroke
    monkeypatch.setattr(brush, "lay_stroke", lambda cover, *rest: painted.append(rest[0]) or paint(cover, *rest))
    draw(lighter, qtbot, *((0.2 + 0.01 * n, 0.5) for n in range(30)))
    settle(lighter, qtbot)
    assert len(where(lighter).parts[0].params.strokes) == 251
    earlier = set(strokes)
    again = [stroke for stroke in painted if stroke in earlier]
    assert len(again) < 0.5 * 30 * len(strokes)  # once for each region that is looked at, not with each of 30 dabs


def test_a_second_dab_on_the_same_place_is_a_stroke_of_its_own(lighter, qtbot):
    parts = lighter.canvas.parts
    parts.add("brush")
    settle(lighter, qtbot)
    for _ in range(2):
        draw(lighter, qtbot, (0.5, 0.5))
    assert len(parts.part.params.strokes) == 2
    settle(lighter, qtbot)


def test_the_mask_of_a_mend_step_is_seen_like_any_other(opened, qtbot):
    opened.session.add_step("hot_pixels")
    opened.canvas.parts.set_open(True)
    opened.canvas.parts.add("ellipse", softness=0.0)
    settle(opened, qtbot)
    panel, card = opened.controls.where_panel, opened.route_bar._cards["hot_pixels"]
    qtbot.waitUntil(lambda: not panel.rows["ellipse_1"].small.pixmap().isNull() and card.small is not None)
    opened.actions_by_name["where_alone"].trigger()
    qtbot.waitUntil(lambda: opened.canvas.mask_view.settled)
    grey = opened.canvas.grab().toImage()
    assert (
        grey.pixelColor(at(opened, 0.5, 0.42)).lightness() > 240
        and grey.pixelColor(at(opened, 0.03, 0.5)).lightness() < 15
    )
    opened.actions_by_name["where_alone"].trigger()
    settle(opened, qtbot)


def test_a_gradient_is_dragged_and_a_thing_is_clicked(lighter, qtbot):
    parts, canvas = lighter.canvas.parts, lighter.canvas
    parts.add("gradient")
    picture = canvas.picture_rect().toRectF()
    start = canvas.gradient.handles(picture)["full"].toPoint()
    qtbot.mousePress(canvas, LEFT, pos=start)
    qtbot.mouseMove(canvas, start + QPoint(40, 0))
    qtbot.mouseRelease(canvas, LEFT, pos=start + QPoint(40, 0))
    assert where(lighter).parts[0].params.x0 == pytest.approx(0.5 + 40 / picture.width(), abs=0.01)
    parts.add("grown")
    draw(lighter, qtbot, (0.75, 0.3))
    draw(lighter, qtbot, (0.1, 0.1), button=RIGHT)
    seeds = parts.part.params.seeds
    assert [seed[2] for seed in seeds] == [True, False]
    settle(lighter, qtbot)
    draw(lighter, qtbot, (0.75, 0.3))
    assert len(parts.part.params.seeds) == 1
    settle(lighter, qtbot)


def test_a_range_is_taken_from_the_picture(lighter, qtbot):
    parts, panel = lighter.canvas.parts, lighter.controls.where_panel
    for kind in ("brightness", "colour"):
        parts.add(kind)
        settle(lighter, qtbot)
        before = parts.part.params
        panel.picked.emit()
        draw(lighter, qtbot, (0.7, 0.3), (0.75, 0.36))
        assert parts.part.params != before
    tones = where(lighter).parts[0].params
    patch = lighter.session.plan.base.read((0, 0, *lighter.session.plan.size))
    height, width = patch.shape[:2]
    own = patch[int(0.3 * height) : int(0.36 * height), int(0.7 * width) : int(0.75 * width)].mean()
    assert tones.low < own < tones.high
    settle(lighter, qtbot)


def test_the_mask_is_shown_hatched_alone_and_saved(lighter, qtbot, tmp_path):
    lighter.canvas.parts.add("ellipse", softness=0.0)
    settle(lighter, qtbot)
    view = lighter.canvas.mask_view
    qtbot.waitUntil(lambda: view.settled)
    hatched = lighter.canvas.grab().toImage()
    lighter.actions_by_name["where_alone"].trigger()
    assert view.shown == GREY
    alone = lighter.canvas.grab().toImage()
    corner = at(lighter, 0.02, 0.5)
    assert alone.pixelColor(corner).lightness() < 5 and alone != hatched
    lighter.actions_by_name["where_alone"].trigger()
    lighter.actions_by_name["where"].trigger()
    assert view.shown == HIDDEN and lighter.canvas.grab().toImage() != hatched
    lighter.actions_by_name["where"].trigger()
    lighter.mask_files.save(tmp_path / "where.png")
    qtbot.waitUntil((tmp_path / "where.png").exists)
    saved = read_picture(tmp_path / "where.png").pixels[..., 0]
    assert np.abs(saved / 255 - mask(lighter)).max() < 0.01
    lighter.canvas.parts.add("image")
    lighter.mask_files.load(tmp_path / "where.png")
    qtbot.waitUntil(lambda: bool(lighter.canvas.parts.part.params.picture.data))
    settle(lighter, qtbot)


def test_a_where_goes_from_step_to_step_and_is_kept_under_a_name(lighter, qtbot):
    parts, session = lighter.canvas.parts, lighter.session
    parts.set_where(READY["Darks only"], "darks")
    parts.copy()
    first = session.step.id
    session.add_step("sharpen")
    parts.paste(invert=True)
    assert where(lighter) == replace(READY["Darks only"], invert=True)
    session.choose(first)
    parts.keep("darks")
    session.choose("sharpen")
    parts.set_where(Where(), "everywhere")
    parts.add("named", name="darks")
    settle(lighter, qtbot)
    first_mask = session.engine.mask(session.plan, session.plan.find(first), (0, 0, *session.plan.size))
    assert np.array_equal(first_mask, mask(lighter)) and 0 < first_mask.mean() < 1
    assert told(where(lighter)) == "“darks”"
    parts.unfold(parts.part)
    assert where(lighter) == READY["Darks only"]
    settle(lighter, qtbot)


def test_kept_wheres_are_renamed_deleted_and_listed_by_their_names(lighter, qtbot, monkeypatch):
    parts, session, panel = lighter.canvas.parts, lighter.session, lighter.controls.where_panel
    parts.set_where(READY["Darks only"], "darks")
    parts.keep("darks")
    first = session.step
    session.add_step("sharpen")
    parts.set_open(True)
    panel._fill_kinds(panel.add.menu())
    names = [action.text() for action in panel.add.menu().actions()]
    assert "“darks”" in names and "Kept" not in names
    next(action for action in panel.add.menu().actions() if action.text() == "“darks”").trigger()
    assert parts.users("darks") == [first.title, "Sharpen"] and told(where(lighter)) == "“darks”"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("night", True))
    panel.ask_new_name("darks")
    assert told(where(lighter)) == "“night”" and session.route.kept("darks") is None
    parts.add("edges")
    panel.ask_delete("night")  # beside another part it can't be replaced by its own parts
    assert session.route.kept("night") is not None and "Sharpen" in lighter.message.text.text()
    parts.remove(parts.part.id)
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box))
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[-1])
    panel.ask_delete("night")
    assert first.title in asked[0].informativeText() and asked[0].defaultButton().text() == "Leave it"
    assert session.route.kept("night") is None and where(lighter) == READY["Darks only"]
    session.undo()
    assert told(where(lighter)) == "“night”"
    settle(lighter, qtbot)


def test_a_taken_name_is_asked_about(lighter, qtbot, monkeypatch):
    parts, panel = lighter.canvas.parts, lighter.controls.where_panel
    parts.set_where(READY["Darks only"], "darks")
    parts.keep("mask")
    parts.set_where(READY["Sharp areas"], "sharp")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("mask", True))
    for answer, kept in ((0, "Darks only"), (-1, "Sharp areas")):
        monkeypatch.setattr(QMessageBox, "exec", lambda box: None)
        monkeypatch.setattr(QMessageBox, "clickedButton", lambda box, answer=answer: box.buttons()[answer])
        panel.ask_name()
        assert lighter.session.route.kept("mask") == READY[kept]
    settle(lighter, qtbot)


def test_keys_act_on_the_part_at_hand_and_never_on_the_step_behind_it(lighter, qtbot):
    parts, session = lighter.canvas.parts, lighter.session
    parts.add("edges")
    parts.add("gradient")
    parts.set_open(True)
    qtbot.keyClick(lighter, Qt.Key.Key_X)
    assert [part.on for part in parts.where.parts] == [True, False] and session.step.on
    qtbot.keyClick(lighter, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert [part.kind for part in parts.where.parts] == ["edges", "gradient", "gradient"]
    for left in (2, 1, 0, 0):
        qtbot.keyClick(lighter, Qt.Key.Key_Delete)
        assert len(parts.where.parts) == left and session.step is not None
    assert "no part" in lighter.message.text.text()
    parts.set_open(False)
    count = len(session.route)
    qtbot.keyClick(lighter, Qt.Key.Key_Delete)
    assert len(session.route) == count - 1
    settle(lighter, qtbot)


def test_escape_and_another_card_end_what_the_next_click_would_do(lighter, qtbot):
    parts, canvas, session = lighter.canvas.parts, lighter.canvas, lighter.session
    first = session.chosen_id
    session.add_step("noise")
    lighter.picking.area("bare")
    qtbot.keyClick(lighter, Qt.Key.Key_Escape)
    assert not canvas.asking
    lighter.picking.area("bare")
    session.choose(first)
    assert not canvas.asking
    parts.set_open(True)
    parts.add("brush")
    qtbot.keyClick(lighter, Qt.Key.Key_Escape)
    draw(lighter, qtbot, (0.3, 0.3), (0.4, 0.3))
    assert not parts.open and parts.part.params.strokes == ()
    settle(lighter, qtbot)


def test_a_ready_made_route_is_taken_from_the_menu_and_undone(opened, qtbot):
    before = opened.session.document
    route = next(menu for menu in opened.menuBar().actions() if menu.text() == "Route").menu()
    ready = next(action.menu() for action in route.actions() if action.text() == "Ready-made routes")
    assert len(ready.actions()) == 14 and all(action.toolTip() for action in ready.actions())
    next(action for action in ready.actions() if action.text() == "Only the subject crisp").trigger()
    settle(opened, qtbot)
    assert [step.kind for step in opened.session.route] == ["hot_pixels", "noise", "sharpen"]
    assert told(where(opened)) == "sharp areas" and opened.controls.foot.where.text() == "sharp areas"
    opened.commands.undo()
    assert opened.session.document == before
    settle(opened, qtbot)


def test_keys_open_the_parts_and_show_the_mask(opened, qtbot):
    opened.session.add_step("exposure")
    opened.canvas.parts.add("gradient")
    settle(opened, qtbot)
    parts, view = opened.canvas.parts, opened.canvas.mask_view
    qtbot.keyClick(opened, Qt.Key.Key_W)
    assert parts.open and opened.controls.where_panel.isVisible()
    qtbot.keyClick(opened, Qt.Key.Key_W)
    assert not parts.open and opened.controls.foot.isVisible()
    shown = []
    for key, modifier in (
        (Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_M, Qt.KeyboardModifier.NoModifier),
    ):
        qtbot.keyClick(opened, key, modifier)
        shown.append(view.shown)
        qtbot.keyClick(opened, key, modifier)
    assert shown == [GREY, HIDDEN]
    settle(opened, qtbot)


def test_pressure_narrows_a_stroke_and_escape_drops_it(lighter, qtbot):
    parts, canvas = lighter.canvas.parts, lighter.canvas
    parts.add("brush")
    settle(lighter, qtbot)
    canvas.brush.pressure = 0.4
    draw(lighter, qtbot, (0.3, 0.3), (0.4, 0.3))
    assert {point[2] for point in parts.part.params.strokes[0].points} == {0.4}
    canvas.brush.pressure = 1.0
    qtbot.mousePress(canvas, LEFT, pos=at(lighter, 0.5, 0.6))
    canvas.let_go()
    qtbot.mouseRelease(canvas, LEFT, pos=at(lighter, 0.5, 0.6))
    settle(lighter, qtbot)
    panel = lighter.controls.where_panel
    qtbot.mouseClick(panel.fields.erase, LEFT)
    assert parts.tip.erase and panel.fields.erase.isChecked() and not panel.fields.paint.isChecked()
    panel.fields.tips["size"].changed.emit(12.0)
    assert parts.tip.size == pytest.approx(0.12)
    qtbot.mouseClick(panel.fields.clear, LEFT)
    assert parts.part.params.strokes == ()
    settle(lighter, qtbot)


def test_an_export_is_reduced_to_the_size_that_was_typed(opened, qtbot, tmp_path):
    dialog = ExportDialog(None, opened.session.engine.source, opened.memory)
    width, height = opened.session.engine.base.size
    dialog.folder.setText(str(tmp_path))
    for text, expected in (
        ("", None),
        (str(width // 2), (width // 2,) * 2),
        (f"{width} × {height // 2}", (width, height // 2)),
    ):
        dialog.room.setText(text)
        assert dialog.size_wanted == expected and dialog.go.isEnabled()
    assert f"{height // 2} px" in dialog.note.text()
    dialog.room.setText("large")
    assert not dialog.go.isEnabled() and "longer side" in dialog.note.text()
    target = tmp_path / "small.png"
    with qtbot.waitSignal(opened.session.exporting.saved, timeout=20000):
        opened.session.exporting.export(target, "png", quality=92, overwrite=False, finish=Finish((width, height // 2)))
    assert read_picture(target).height == height // 2


def test_an_area_is_spared_from_cleaning_in_three_actions(opened, qtbot):
    """A click on the card, a key, a stroke over the area."""
    propose(opened, qtbot)
    session, canvas = opened.session, opened.canvas
    opened.activateWindow()
    qtbot.mouseClick(opened.route_bar._cards["noise"], Qt.MouseButton.LeftButton, pos=QPoint(60, 25))
    qtbot.keyClick(opened, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    middle = canvas.picture_rect().center()
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=middle)
    for by in range(0, 40, 4):
        qtbot.mouseMove(canvas, middle + QPoint(by, 0))
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=middle + QPoint(40, 0))
    settle(opened, qtbot)
    [part] = session.route.find("noise").where.parts
    assert (part.kind, part.op) == ("brush", "subtract") and len(part.params.strokes) == 1
    plan = session.engine.plan(session.document)
    prepared = plan.find("noise")
    mask = session.engine.mask(plan, prepared, (0, 0, *plan.size))
    width, height = plan.size
    assert mask[height // 2, width // 2] < 0.1 and mask[4, 4] == 1
    opened.actions_by_name["spare"].trigger()  # again: the same brush, not another
    assert len(session.route.find("noise").where.parts) == 1 and canvas.parts.part.id == part.id
