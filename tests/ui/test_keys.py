"""The whole job by keys, every action where it has and has no meaning, menus under the right button."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QLabel, QMenu, QPushButton, QWidget
from tests.ui.steer import in_view, on_screen, propose, settle

from dustpan.core.document.copying import read_text
from dustpan.core.document.history import Document
from dustpan.files import read_picture
from dustpan.ui.actions import TABLE
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.keys_dialog import KeysDialog
from dustpan.ui.picture.compare import INPUT, MODES


def press(qtbot, window, name: str) -> None:
    """Press the keys of an action, as the user would."""
    keys = window.actions_by_name[name].shortcut()[0]
    qtbot.keyClick(window, keys.key(), keys.keyboardModifiers())


def test_the_whole_job_is_done_by_keys(window, qtbot, picture_file, tmp_path, monkeypatch):
    window.activateWindow()
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(picture_file)], ""))
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        press(qtbot, window, "open")
    settle(window, qtbot)
    with qtbot.waitSignal(window.session.edited, timeout=20000):
        press(qtbot, window, "propose")
    settle(window, qtbot)
    session = window.session
    start = [step.kind for step in session.route]
    session.choose(session.route.steps[0].id)
    press(qtbot, window, "next")
    assert session.step.id == session.route.steps[1].id
    press(qtbot, window, "next")
    assert session.step.kind == "noise"
    press(qtbot, window, "switch")
    assert not session.step.on
    press(qtbot, window, "undo")
    assert session.step.on and session.history.redo_label == "Turn Noise off"
    slider = window.controls.fields["luminance"]
    slider.entry.setFocus()
    value = slider.value
    slider.entry.selectAll()
    qtbot.keyClicks(slider.entry, "33")
    qtbot.keyClick(slider.entry, Qt.Key.Key_Return)
    assert session.step.params.luminance == 33 != value and not session.step.params.auto
    press(qtbot, window, "take")
    assert list(session.takes) == ["Take 1"]
    for name, zoom in (("zoom2", 2.0), ("zoom4", 4.0), ("zoom1", 1.0)):
        press(qtbot, window, name)
        assert window.canvas.zoom == zoom
    target = tmp_path / "by-keys.png"

    def accept(dialog: ExportDialog) -> int:
        dialog.folder.setText(str(tmp_path))
        dialog.name.setText("by-keys")
        assert dialog.target == target
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(ExportDialog, "exec", accept)
    with qtbot.waitSignal(session.exporting.saved, timeout=20000):
        press(qtbot, window, "export")
    settle(window, qtbot)
    exported = read_picture(target).pixels
    assert np.array_equal(in_view(window, on_screen(window)), in_view(window, exported))
    assert [step.kind for step in session.route] == start


def test_no_two_actions_share_a_key_and_all_stand_in_a_menu(window):
    keys = [a.shortcut().toString(QKeySequence.SequenceFormat.PortableText) for a in window.actions_by_name.values()]
    assert len(keys) == len(set(keys))
    held = {action for menu in window.menuBar().findChildren(QMenu) for action in menu.actions()}
    assert all(action in held for action in window.actions_by_name.values())
    for name, key in (
        ("fit", "0"),
        ("wipe", "J"),
        ("pair", "K"),
        ("removed", "L"),
        ("alternate", ";"),
        ("inside", "I"),
        ("lamp", "B"),
        ("channel", "N"),
        ("where", "M"),
        ("switch", "X"),
        ("previous", ","),
        ("next", "."),
        ("take", "T"),
        ("keys", "F1"),
    ):
        assert window.actions_by_name[name].shortcut() == QKeySequence(key)


def test_without_a_picture_nothing_can_go_wrong(window, qtbot, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))
    monkeypatch.setattr(QDialog, "open", lambda box: None)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: ("", ""))
    for name, action in window.actions_by_name.items():
        if name != "quit":
            action.trigger()
    QApplication.clipboard().setText("nothing of ours")
    window.commands.paste()
    qtbot.wait(50)
    assert window.session.document == Document() and window.session.engine is None
    assert not window.actions_by_name["export"].isEnabled() and not window.actions_by_name["propose"].isEnabled()


def test_every_action_can_be_taken_on_every_step_and_undone(opened, qtbot, monkeypatch):
    monkeypatch.setattr("dustpan.ui.route.route_bar.QInputDialog.getText", lambda *a, **k: ("renamed", True))
    propose(opened, qtbot)
    session, route = opened.session, opened.session.route
    for step in route:
        for name in ("duplicate", "rename", "switch", "earlier", "later", "copy", "remove"):
            session.choose(step.id)
            before = session.document
            opened.actions_by_name[name].trigger()
            if session.document != before:
                assert session.history.undo_label
                opened.actions_by_name["undo"].trigger()
            assert session.document == before
    settle(opened, qtbot)
    assert session.route == route


def test_no_name_and_no_key_stands_for_two_actions():
    for values in ([entry.name for entry in TABLE], [entry.key for entry in TABLE if entry.key]):
        assert len(set(values)) == len(values)


def test_the_list_of_keys_names_every_key(opened, qtbot):
    opened.actions_by_name["keys"].trigger()
    dialog = opened.findChild(KeysDialog)
    words = {label.text() for label in dialog.findChildren(QLabel)}
    native = QKeySequence.SequenceFormat.NativeText
    for action in opened.actions_by_name.values():
        assert {action.shortcut().toString(native), action.text().rstrip(" …")} <= words
    assert {"H", "Space", "Wheel", "Esc"} <= words
    assert dialog.height() <= 700 and dialog.width() <= 1240
    dialog.close()


def test_hold_shows_the_other_side_while_it_is_pressed(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: opened.other.settled, timeout=20000)
    shown = opened.canvas.grab().toImage()
    qtbot.keyPress(opened.canvas, Qt.Key.Key_H)
    held = opened.canvas.grab().toImage()
    qtbot.keyRelease(opened.canvas, Qt.Key.Key_H)
    assert held != shown and opened.canvas.grab().toImage() == shown
    qtbot.mousePress(opened.bar.hold, Qt.MouseButton.LeftButton)
    assert opened.compare.now.holding
    qtbot.mouseRelease(opened.bar.hold, Qt.MouseButton.LeftButton)
    assert not opened.compare.now.holding


def test_a_keyhole_shows_the_inside_while_it_is_pressed(opened, qtbot):
    propose(opened, qtbot)
    opened.canvas.set_zoom(1.0)
    for step_id, many in (("hot_pixels", 1), ("noise", 3), ("sharpen", 2)):
        opened.session.choose(step_id)
        settle(opened, qtbot)
        plain = on_screen(opened)
        holes = [b for b in opened.controls.findChildren(QPushButton) if b.objectName() == "keyhole"]
        assert len(holes) == many
        for hole in holes:
            qtbot.mousePress(hole, Qt.MouseButton.LeftButton)
            assert opened.compare.now.mode == "inside"
            settle(opened, qtbot)
            inside = in_view(opened, on_screen(opened)).astype(int)
            assert np.abs(inside - in_view(opened, plain)).mean() > 5
            assert np.ptp(inside, axis=2).max() <= 1  # a figure in grey
            qtbot.mouseRelease(hole, Qt.MouseButton.LeftButton)
            assert opened.compare.now.mode == ""
        settle(opened, qtbot)
        assert np.array_equal(in_view(opened, on_screen(opened)), in_view(opened, plain))


def test_proofs_are_worked_by_keys_and_by_their_menu(opened, qtbot):
    propose(opened, qtbot)
    proofs, tile = opened.proofs, opened.proof_strip.tiles[0]
    first = proofs.items[0]
    proofs.put(first, type(first)(first.name, 200.0, 150.0))
    tile.setFocus()
    for key, place in ((Qt.Key.Key_Right, (208, 150)), (Qt.Key.Key_Down, (208, 158)), (Qt.Key.Key_Left, (200, 158))):
        qtbot.keyClick(tile, key)
        assert (proofs.items[0].x, proofs.items[0].y) == place
    qtbot.keyClick(tile, Qt.Key.Key_Z)
    assert proofs.items[0].zoom == 2 and proofs.region(proofs.items[0]).width() == -(-proofs.half.width() // 2)
    qtbot.keyClick(tile, Qt.Key.Key_Return)
    assert opened.canvas.tiles.view.region.contains(200, 158) and opened.canvas.zoom >= 1
    menu = menu_of(tile)
    assert [action.text() for action in menu.actions()] == ["Go there", "100 %", "Remove"]
    menu.actions()[2].trigger()
    menu.close()
    assert len(proofs.items) == 4 and first.name not in [proof.name for proof in proofs.items]
    press(qtbot, opened, "pin")
    assert len(proofs.items) == 5 and proofs.items[-1].name == "Place 1"
    for _ in range(6):
        opened.actions_by_name["pin"].trigger()
    assert len(proofs.items) == 8 and len({proof.name for proof in proofs.items}) == 8
    qtbot.keyClick(opened.proof_strip.tiles[7], Qt.Key.Key_Delete)
    assert len(proofs.items) == 7 and len(opened.session.route) == 4  # the step was not removed
    opened.actions_by_name["pins"].trigger()
    qtbot.waitUntil(
        lambda: len(proofs.items) == 5 and all(proof in proofs.shots for proof in proofs.items), timeout=20000
    )
    settle(opened, qtbot)


def test_a_right_click_copies_and_pastes(opened, qtbot):
    propose(opened, qtbot)
    session = opened.session
    session.choose("sharpen")
    field = opened.controls.fields["amount"]
    with qtbot.waitSignal(field.asked):
        ask(field)
    menu = QApplication.activePopupWidget()
    assert [action.text() for action in menu.actions()] == ["Copy value", "Paste value"]
    menu.actions()[0].trigger()
    menu.close()
    value = read_text(QApplication.clipboard().text())
    assert (value.kind, value.param, value.value) == ("sharpen", "amount", session.step.params.amount)
    QApplication.clipboard().setText(QApplication.clipboard().text().replace(f"{value.value}", "7.0"))
    opened.actions_by_name["paste"].trigger()
    assert session.step.params.amount == 7.0 and session.history.undo_label == "Sharpen: amount"
    card = opened.route_bar._cards["noise"]
    ask(card)
    menu = QApplication.activePopupWidget()
    assert session.chosen_id == "noise" and {"Copy step", "Copy route", "Paste"} <= {a.text() for a in menu.actions()}
    menu.close()
    settle(opened, qtbot)


def test_both_sides_are_what_they_are_called(opened, qtbot):
    propose(opened, qtbot)
    session, compare = opened.session, opened.compare
    take = session.keep_take()
    session.choose("sharpen")
    session.change_step(replace(session.step, mix=0.5), "Mix")
    opened.canvas.set_zoom(1.0)
    engine, region = session.engine, (0, 0, *opened.canvas.size_px)
    documents = {"original": Document(), INPUT: Document(session.route.without("sharpen")), take: session.takes[take]}
    cases = [("original", MODES[0]), (INPUT, MODES[1]), (take, MODES[0]), (take, MODES[1])]
    for against, mode in cases:
        compare.set(against=against)
        assert compare.other == documents[against]
        opened.actions_by_name[mode].setChecked(True)
        settle(opened, qtbot)
        qtbot.waitUntil(lambda: opened.other.settled, timeout=20000)
        expected = engine.render(engine.plan(documents[against]), region)
        area = opened.other.view.region
        for part in (0.2, 0.5, 0.8):
            x, y = area.left() + round(part * area.width()), area.top() + round(part * area.height())
            found = np.array(opened.other.colour_at(QPoint(x, y)).getRgb()[:3])
            assert np.abs(found - np.clip(expected[y, x] * 255 + 0.5, 0, 255).astype(int)).max() <= 1
    opened.actions_by_name[mode].setChecked(False)
    settle(opened, qtbot)


def test_alternate_changes_by_itself_and_wipe_by_keys_and_mouse(opened, qtbot):
    propose(opened, qtbot)
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: opened.other.settled, timeout=20000)
    seen = set()
    opened.actions_by_name["alternate"].setChecked(True)

    def both() -> bool:
        image = opened.canvas.grab().toImage()
        seen.add(image.pixel(opened.canvas.rect().center()))
        return len(seen) > 1

    qtbot.waitUntil(both, timeout=4000)
    opened.actions_by_name["alternate"].setChecked(False)
    opened.actions_by_name["wipe"].setChecked(True)
    first = opened.canvas.grab().toImage()
    middle = opened.canvas.rect().center()
    qtbot.mousePress(opened.canvas, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(opened.canvas, middle + QPoint(-80, 0))
    qtbot.mouseRelease(opened.canvas, Qt.MouseButton.LeftButton, pos=middle + QPoint(-80, 0))
    moved = opened.canvas.grab().toImage()
    opened.compare.set(horizontal=True)
    assert (
        len({bytes(i.constBits().asarray(i.sizeInBytes())) for i in (first, moved, opened.canvas.grab().toImage())})
        == 3
    )


def ask(widget: QWidget) -> None:
    """Press the right button in the middle of a widget."""
    at = widget.rect().center()
    reason = QContextMenuEvent.Reason.Mouse
    QApplication.sendEvent(widget, QContextMenuEvent(reason, at, widget.mapToGlobal(QPointF(at)).toPoint()))


def menu_of(widget: QWidget) -> QMenu:
    """The menu that a right click opens."""
    ask(widget)
    return QApplication.activePopupWidget()
