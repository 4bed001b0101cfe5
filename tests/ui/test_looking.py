"""Looking and judging in the real window: proofs, findings, readings, comparing, takes, copying."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QApplication, QMenu
from tests.ui.steer import drag, in_view, on_screen, propose, settle, type_value

from dustpan.core.filters.viewing import removed
from dustpan.core.picture.working import from_working
from dustpan.ui.picture.compare import INPUT, MODES


@pytest.fixture
def proposed(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.resize(900, 700)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    return opened


def test_proofs_follow_a_slider_and_show_the_exact_pixels(proposed, qtbot):
    proofs = proposed.proofs
    assert [p.name for p in proofs.items] == ["Shadow", "Midtone", "Highlight", "Edge", "Texture"]
    qtbot.waitUntil(lambda: len(proofs.shots) >= 5)
    for proof in proofs.items:
        area, shot = proofs.region(proof), proofs.shots[proof]
        region = (area.left(), area.top(), area.right() + 1, area.bottom() + 1)
        exported = from_working(proposed.session.engine.render(proposed.session.plan, region), dtype=np.uint8)
        shown = shot.after.pixelColor(10, 10)
        assert np.abs(np.array([shown.red(), shown.green(), shown.blue()]) - exported[10, 10].astype(int)).max() <= 1
    qtbot.waitUntil(lambda: all(proofs.shots[p].figure for p in proofs.items), timeout=30000)
    figures = [proofs.shots[p].figure for p in proofs.items]
    assert (
        figures[0].startswith("noise")
        and figures[3].startswith("halo")
        and figures[4].startswith(("kept", "no texture"))
    )
    before = proofs.shots[proofs.items[0]].after
    drag(qtbot, proposed.controls.fields["luminance"].groove, [0.9, 0.5, 0.1])
    qtbot.waitUntil(lambda: proofs.shots[proofs.items[0]].after != before)
    settle(proposed, qtbot, figures=True)

    def more_is_left() -> bool:
        return float(proofs.shots[proofs.items[0]].figure.split("→")[1]) > float(figures[0].split("→")[1])

    qtbot.waitUntil(more_is_left, timeout=30000)


def test_a_proof_is_moved_by_its_content_and_by_its_frame(proposed, qtbot):
    proofs, strip, canvas = proposed.proofs, proposed.proof_strip, proposed.canvas
    tile, start = strip.tiles[1], proofs.items[1]
    proofs.put(start, type(start)(start.name, 300.0, 200.0))
    qtbot.mousePress(tile, Qt.MouseButton.LeftButton, pos=QPoint(40, 60))
    qtbot.mouseMove(tile, QPoint(20, 50))
    qtbot.mouseRelease(tile, Qt.MouseButton.LeftButton, pos=QPoint(20, 50))
    assert (proofs.items[1].x, proofs.items[1].y) == (320.0, 210.0)
    canvas.grab()
    at = next(label for proof, label in strip._labels if proof is proofs.items[1]).center()
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
    qtbot.mouseMove(canvas, (at + QPointF(50, -30)).toPoint())
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=(at + QPointF(50, -30)).toPoint())
    assert (proofs.items[1].x, proofs.items[1].y) == pytest.approx((370, 180), abs=2)
    tile.closer()
    assert proofs.items[1].zoom == 2 and proofs.region(proofs.items[1]).width() == -(-proofs.half.width() // 2)
    strip.add_middle()
    assert len(proofs.items) == 6 and proofs.items[5].name == "Place 1"
    strip.tiles[5].setFocus()
    qtbot.keyClick(strip.tiles[5], Qt.Key.Key_Delete)
    assert len(proofs.items) == 5
    for _ in range(9):
        strip.add_middle()
    assert len(proofs.items) == 8 and len({p.name for p in proofs.items}) == 8
    strip.again_button.click()
    qtbot.waitUntil(lambda: [p.name for p in proofs.items][-1:] == ["Texture"] and len(proofs.items) == 5)
    canvas.fit()
    strip.tiles[3].go()
    assert canvas.zoom >= 1 and canvas.tiles.view.region.contains(round(proofs.items[3].x), round(proofs.items[3].y))


def test_findings_name_what_is_wrong_mark_it_and_mend_it(opened, qtbot):
    findings = opened.findings
    qtbot.waitUntil(lambda: findings.faults is not None, timeout=20000)
    kinds = {f.what: f for f in findings.faults}
    assert {"noise", "colour_noise"} <= set(kinds) and kinds["noise"].step == "noise"
    chips = findings.findChildren(type(findings._row.itemAt(1).widget()))
    chip = next(c for c in chips if c.finding.what == "noise")
    chip.act.click()
    qtbot.waitUntil(lambda: [s.kind for s in opened.session.route] == ["noise"], timeout=20000)
    settle(opened, qtbot)
    words = [label.text() for label in findings.findChildren(type(opened.header.title)) if label.objectName() == "kept"]
    assert words.count("quieted") == 2
    sharp = "sharpen"
    opened.session.add_step(sharp)
    for key, value in (("amount", 400.0), ("radius", 2.0), ("halo_light", 1.0), ("halo_dark", 1.0)):
        type_value(qtbot, opened.controls.fields[key], value)
    settle(opened, qtbot, figures=True)
    harm = next(f for f in findings.harm if f.what == "halo")
    assert harm.harm and harm.size > 5 and harm.points
    findings.mark("halo", True)
    qtbot.wait(30)
    marked = opened.canvas.grab().toImage()
    findings.mark("halo", False)
    assert marked != opened.canvas.grab().toImage()
    assert opened.readings.report.figures["halo"] > 0.05


def test_every_way_to_compare_shows_what_it_says(proposed, qtbot):
    canvas, compare, engine = proposed.canvas, proposed.compare, proposed.session.engine
    region = (0, 0, *canvas.size_px)
    before = engine.source.read(region)
    after = engine.render(proposed.session.plan, region)
    for mode in MODES:
        proposed.actions_by_name[mode].trigger()
        settle(proposed, qtbot)
        assert compare.now.mode == mode and [m for m in MODES if proposed.actions_by_name[m].isChecked()] == [mode]
        canvas.grab()
        if mode == "removed":
            compare.set(gain=8.0)
            settle(proposed, qtbot)
            expected = from_working(removed(before, after, gain=8.0), dtype=np.uint8)
            assert np.array_equal(*(in_view(proposed, pixels) for pixels in (on_screen(proposed), expected)))
        if mode == "pair":
            proposed.session.choose("sharpen")
            compare.set(against=INPUT)
            qtbot.waitUntil(lambda: proposed.other.settled, timeout=20000)
            picture = canvas.grab().toImage()
            x = canvas.picture_rect().left() + canvas.room.width() + 30
            there = proposed.tiles.colour_at(QPoint(*_at(canvas, x - canvas.room.width(), 300)))
            assert picture.pixelColor(x, 300) == there
            compare.set(against="original")
    proposed.actions_by_name["inside"].trigger()
    assert compare.now.mode == ""


def _at(canvas, x, y):
    corner = canvas.picture_rect().topLeft()
    return x - corner.x(), y - corner.y()


def test_see_and_lamp_change_the_view_alone(proposed, qtbot):
    document, plain = proposed.session.document, on_screen(proposed)
    proposed.actions_by_name["lamp"].trigger()
    assert proposed.compare.now.appearance.lamp == 2.0
    settle(proposed, qtbot)
    lit = on_screen(proposed)
    assert lit.mean() > plain.mean() + 20
    proposed.actions_by_name["lamp"].trigger()
    for name in ("luminance", "colour", "red", "green", "blue", "clipped", "all"):
        proposed.actions_by_name["channel"].trigger()
        assert proposed.compare.now.appearance.see == name
        settle(proposed, qtbot)
        if name == "green":
            assert np.array_equal(in_view(proposed, on_screen(proposed)), in_view(proposed, plain)[..., [1, 1, 1]])
    assert np.array_equal(*(in_view(proposed, pixels) for pixels in (on_screen(proposed), plain)))
    assert proposed.session.document is document and proposed.session.history.undo_label == "Propose a route"


def test_takes_are_kept_compared_and_gone_back_to(proposed, qtbot):
    session, compare, states = proposed.session, proposed.compare, proposed.states
    proposed.actions_by_name["take"].trigger()
    kept = session.document
    drag(qtbot, proposed.controls.fields["luminance"].groove, [0.8, 0.2])
    settle(proposed, qtbot)
    assert list(session.takes) == ["Take 1"] and session.document != kept
    proposed.actions_by_name["states"].trigger()
    assert states.takes.item(0).text() == "Take 1\nNoise: as measured"
    qtbot.waitUntil(lambda: states.drawn, timeout=10000)
    drawn = states.takes.item(0).icon().pixmap(96, 64).toImage()
    assert len({drawn.pixel(x, y) for x in range(0, 96, 6) for y in range(0, 64, 6)}) > 20
    states.takes.setCurrentRow(0)
    states.buttons["compare"].click()
    assert compare.other is kept and compare.word == "Take 1"
    states.rename("Take 1", "calm")
    assert compare.now.against == "calm" and proposed.compare_bar.against.currentText() == "against calm"
    states.takes.setCurrentRow(0)
    qtbot.keyClick(states.takes, Qt.Key.Key_Return)
    assert session.document == kept and session.history.undo_label == "Go to calm"
    states.history.setCurrentRow(0)
    assert len(session.route) == 0 and session.history.redo_label
    states.history.setCurrentRow(states.history.count() - 1)
    assert session.document == kept
    states.takes.setCurrentRow(0)
    states.buttons["drop"].click()
    assert not session.takes and compare.now.against == "original"
    states.hide()
    settle(proposed, qtbot)


def test_values_cards_and_routes_travel_as_text(proposed, qtbot):
    session, clipboard = proposed.session, QApplication.clipboard()
    session.choose("noise")
    text = proposed.controls.value_text("luminance")
    shown = proposed.controls.fields["luminance"].value
    proposed.actions_by_name["copy_route"].trigger()
    route = clipboard.text()
    proposed.actions_by_name["copy"].trigger()
    card = clipboard.text()
    drag(qtbot, proposed.controls.fields["luminance"].groove, [0.8, 0.1])
    session.paste(text)
    assert session.step.params.luminance == shown and not session.step.params.auto
    clipboard.setText(card)
    proposed.actions_by_name["paste"].trigger()
    assert session.step.params.auto and session.step.id == "noise"
    while len(session.route):
        session.remove_step(session.route.steps[0].id)
    session.paste(card)
    assert [s.kind for s in session.route] == ["noise"]
    session.paste(route)
    assert [s.kind for s in session.route] == ["hot_pixels", "exposure", "noise", "sharpen"]
    document = session.document
    for bad, word in (
        ("hello", "clipboard"),
        (text.replace("luminance", "luminence"), "luminence"),
        ("{}", "clipboard"),
    ):
        with qtbot.waitSignal(session.told) as told:
            session.paste(bad)
        assert word in told.args[0] and told.args[1] and session.document is document
    settle(proposed, qtbot)


def test_the_noise_that_may_stay_is_a_choice_that_is_remembered(proposed, qtbot):
    menu = next(m for m in proposed.menuBar().findChildren(QMenu) if m.title() == "Noise that may stay")
    choices = {action.text(): action for action in menu.actions()}
    assert [text for text, action in choices.items() if action.isChecked()] == ["None to be seen"]
    before = proposed.controls.fields["luminance"].value
    choices["Some"].trigger()
    settle(proposed, qtbot)
    assert proposed.memory.get("visible_noise", 1.0) == 3.0
    qtbot.waitUntil(lambda: proposed.controls.fields["luminance"].value < before - 5)


def test_figures_say_while_they_are_of_what_was_there_before(opened, qtbot):
    note, session = opened.readings._note, opened.session
    settle(opened, qtbot, figures=True)
    assert "patches" in note.text()
    session.add_step("noise")
    assert note.text() == "measuring …"
    settle(opened, qtbot, figures=True)
    assert "patches" in note.text()
    session.rename_step(session.step.id, "Calm")  # changes no pixel
    qtbot.waitUntil(lambda: "patches" in note.text(), timeout=10000)
