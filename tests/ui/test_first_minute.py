"""The first minute: a sample with three hints, each gone for good once followed; help; the size of the interface."""

from __future__ import annotations

import os

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QColor, QHelpEvent
from PyQt6.QtWidgets import QApplication, QWhatsThis
from tests.ui.steer import propose, settle

from dustpan.ui.app import begin
from dustpan.ui.guide import Guide
from dustpan.ui.interface_size import apply_size
from dustpan.ui.memory import Memory
from dustpan.ui.what_is_this import words_of
from dustpan.ui.widgets import theme

WRAPPED = Qt.TextFlag.TextWordWrap.value


def _height(label) -> int:
    return label.fontMetrics().boundingRect(0, 0, label.width(), 999, WRAPPED, label.text()).height()


def test_hints_go_for_good_once_they_are_followed_and_the_tour_brings_them_back(opened, qtbot):
    assert not opened.hints.bubbles  # nobody asked for them yet
    propose(opened, qtbot)
    opened.hints.begin()
    bubbles = opened.hints.bubbles
    assert set(bubbles) == {"finding", "wipe", "proof"} and all(bubble.isVisible() for bubble in bubbles.values())
    inside = opened.canvas.rect()
    for bubble in bubbles.values():
        assert inside.contains(bubble.geometry()) and bubble.text.height() >= bubble.text.heightForWidth(
            bubble.text.width()
        )
    opened.actions_by_name["wipe"].trigger()
    assert "wipe" not in bubbles
    opened.proof_strip.tiles[0].go()
    assert "proof" not in bubbles
    bubbles["finding"].button.click()
    assert not bubbles and opened.memory.get("hints_followed", []) == ["finding", "proof", "wipe"]
    opened.hints.begin()
    assert not bubbles
    opened.actions_by_name["tour"].trigger()
    assert len(bubbles) == 3


def test_the_very_first_start_shows_a_sample_and_the_next_one_the_start_page(window, qtbot):
    with qtbot.waitSignal(window.session.opened, timeout=60000):
        begin(window)
    assert window.session.kept_name == "sample bench"
    settle(window, qtbot)
    asked = []
    window.walking.open_sample = asked.append
    begin(window)
    assert not asked


def test_anything_can_be_asked_what_it_is(opened, monkeypatch):
    shown = []
    monkeypatch.setattr(QWhatsThis, "showText", lambda place, text, widget: shown.append(text))
    for widget, words in ((opened.bar.hold, "Press and hold"), (opened.route_bar.add_button, "Add a step")):
        assert words in words_of(widget)
        place = widget.mapTo(opened, widget.rect().center())
        for kind in (QEvent.Type.QueryWhatsThis, QEvent.Type.WhatsThis):
            event = QHelpEvent(kind, place, opened.mapToGlobal(place))
            QApplication.sendEvent(opened, event)
            assert event.isAccepted()
        assert words in shown[-1]
    assert (
        words_of(None) == "" and not opened.event(QEvent(QEvent.Type.None_)) and opened.childAt(QPoint(-5, -5)) is None
    )


def test_the_guide_has_a_page_for_every_task(qtbot):
    guide = Guide()
    qtbot.addWidget(guide)
    guide.show()
    assert guide.list.horizontalScrollBar().maximum() == 0  # no title is cut
    for row in range(guide.list.count()):
        guide.list.setCurrentRow(row)
        assert len(guide.page.toPlainText()) > 300 and "![" not in guide.page.toPlainText()
    assert guide.list.count() >= 12


@pytest.mark.parametrize(
    ("kept", "given", "wanted"), [(150, None, "1.5"), (100, None, None), (150, "2", "2"), (17, None, None)]
)
def test_the_interface_is_drawn_as_large_as_was_chosen(tmp_path, monkeypatch, kept, given, wanted):
    monkeypatch.setenv("QT_SCALE_FACTOR", given or "1")  # put back afterwards
    if not given:
        del os.environ["QT_SCALE_FACTOR"]
    memory = Memory(tmp_path / "window.ini")
    memory.put("interface_size", kept)
    apply_size(memory)
    assert os.environ.get("QT_SCALE_FACTOR") == wanted


def luminance(colour: QColor) -> float:
    parts = [v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4 for v in colour.getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def test_words_stand_out_from_what_they_stand_on():
    grounds = ("ground", "panel", "bar", "raised")
    for name in ("text", "bright", "faint", theme.VERDIGRIS, theme.MADDER_WORDS):
        for ground in grounds if name != theme.MADDER_WORDS else grounds[:3]:
            lights = sorted(luminance(theme.colour(each)) for each in (name, ground))
            assert (lights[1] + 0.05) / (lights[0] + 0.05) >= 4.5, f"{name} on {ground}"
