"""The way of the Tab key, what each of its stops is called, and that one sees where it is."""

from __future__ import annotations

import itertools

import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QAbstractSlider, QApplication, QComboBox, QLineEdit
from tests.ui.steer import propose, settle

from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.edge import Edge
from dustpan.ui.widgets.tone_plot import TonePlot

#: What assistive tools know the role of.
KNOWN = (QAbstractButton, QAbstractSlider, QAbstractItemView, QComboBox, QLineEdit, Canvas, TonePlot, Edge)


def name_of(widget) -> str:
    return widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")


@pytest.mark.parametrize("masked", [False, True])
def test_tab_goes_where_the_eye_goes_and_shows_where_it_is(opened, qtbot, masked):
    propose(opened, qtbot)
    if masked:
        opened.canvas.parts.set_open(True)
        opened.canvas.parts.add("brightness")
        settle(opened, qtbot)
    stops = opened.tab_order.stops()
    while (qtbot.wait(600), stops) != (None, stops := opened.tab_order.stops()):
        pass  # findings and figures come after the picture
    assert len(stops) > 40 and len(set(stops)) == len(stops)
    assert not [stop for stop in stops if not name_of(stop).strip() or not isinstance(stop, KNOWN)]
    panels = [opened.header, opened.route_bar, opened.findings, opened.canvas, opened.controls]
    panels += [opened.compare_bar, opened.proof_strip]
    at = [[n for n, stop in enumerate(stops) if panel is stop or panel.isAncestorOf(stop)] for panel in panels]
    assert all(before and max(before) < min(after) for before, after in itertools.pairwise(at))
    opened.activateWindow()
    stops[0].setFocus(Qt.FocusReason.TabFocusReason)
    ring = opened.tab_order.ring
    for stop in stops[1:]:
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        assert QApplication.focusWidget() is stop, f"{name_of(QApplication.focusWidget())}, not {name_of(stop)}"
        place = QRect(stop.mapTo(opened, QPoint(0, 0)), stop.size()).intersected(opened.rect())
        assert ring.isVisible() and ring.geometry().contains(place)
        assert not stop.visibleRegion().isEmpty(), f"{name_of(stop)} is out of sight"
    shown = opened.grab().toImage()
    corner = ring.geometry().center().x(), ring.geometry().top() + 1
    assert shown.pixelColor(*corner).name().upper() == theme.VERDIGRIS
    qtbot.keyClick(stops[-1], Qt.Key.Key_Backtab)
    assert QApplication.focusWidget() is stops[-2]
    qtbot.mouseClick(opened.canvas, Qt.MouseButton.LeftButton)
    assert not ring.isVisible()
