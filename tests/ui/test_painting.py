"""What is painted, and how often: the view put together once, questions asked of the picture, masks under a drag."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QColor, QImage, QPainter
from tests.ui.steer import settle

from dustpan.core.errors import PictureError
from dustpan.ui.picture.composed import Composed
from dustpan.ui.picture.question import Question
from dustpan.ui.where import mask_view

SIZE = (400, 300)


@pytest.fixture
def composed(monkeypatch):
    """Counts how often a view is put together."""
    made, compose = [], Composed._compose

    def count(self, standing):
        made.append(standing)
        return compose(self, standing)

    monkeypatch.setattr(Composed, "_compose", count)
    return made


def painted(window, pixel: tuple[int, int]) -> str:
    """The colour on the widget at the middle of one of the picture's pixels."""
    canvas = window.canvas
    at = canvas._corner + QPointF(pixel[0] + 0.5, pixel[1] + 0.5) * canvas.zoom
    return canvas.grab().toImage().pixelColor(at.toPoint()).name()


def test_a_view_is_put_together_again_only_when_it_changes(opened, qtbot, composed):
    canvas, tiles = opened.canvas, opened.tiles
    canvas.resize(300, 220)
    canvas.set_zoom(4.0)
    settle(opened, qtbot)
    pixel = canvas._view().region.center()
    shown = painted(opened, (pixel.x(), pixel.y()))
    assert shown == tiles.colour_at(pixel).name()
    before = len(composed)
    for _ in range(5):
        canvas.repaint()
    assert len(composed) == before  # nothing has changed
    canvas._move(canvas._corner + QPointF(7, -5))
    assert painted(opened, (pixel.x(), pixel.y())) == shown and len(composed) == before + 1
    opened.session.add_step("exposure")
    opened.session.change_step(replace(opened.session.step, params=replace(opened.session.step.params, ev=2.0)), "lift")
    settle(opened, qtbot)
    lifted = painted(opened, (pixel.x(), pixel.y()))
    assert QColor(lifted).lightness() > QColor(shown).lightness() and lifted == tiles.colour_at(pixel).name()


def test_masks_follow_a_drag_and_end_with_the_newest(opened, qtbot):
    """However fast the moves come: a mask that is under way is finished before the next one is begun."""
    session, canvas = opened.session, opened.canvas
    session.add_step("exposure")
    canvas.parts.add("brightness")
    settle(opened, qtbot)
    view, seen = canvas.mask_view, []
    qtbot.waitUntil(lambda: view.settled)
    view.changed.connect(lambda: seen.append(view._made))
    part = session.step.where.parts[0]
    for number in range(40):
        changed = replace(part, params=replace(part.params, high=0.2 + 0.015 * number))
        canvas.parts.set_part(changed, "To", dragging=True)
        qtbot.wait(4)
    during = len(seen)
    canvas.parts.set_part(changed, "To")
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: view.settled)
    assert during >= 2
    image, area = view._made
    plan = session.plan
    wanted = session.engine.mask(plan, plan.find(session.step.id), (0, 0, *plan.size))
    middle = area.center()
    told = QColor(image.pixel(image.width() // 2, image.height() // 2)).lightnessF()
    assert told == pytest.approx(float(wanted[middle.y(), middle.x()]), abs=0.25)


def test_a_mask_that_fails_is_told_and_the_next_is_made(opened, qtbot, monkeypatch):
    canvas, make, told = opened.canvas, mask_view._make_mask, []
    opened.session.add_step("exposure")
    canvas.parts.add("brightness")
    settle(opened, qtbot)
    qtbot.waitUntil(lambda: canvas.mask_view.settled)
    before = canvas.mask_view._made

    def fail(*args):
        raise PictureError("no mask")

    opened.session.jobs.failed.connect(told.append)
    part = opened.session.step.where.parts[0]
    monkeypatch.setattr(mask_view, "_make_mask", fail)
    canvas.parts.set_part(replace(part, params=replace(part.params, high=0.3)), "To")
    qtbot.waitUntil(lambda: len(told) == 1 and canvas.mask_view.settled)
    assert canvas.mask_view._made is before
    monkeypatch.setattr(mask_view, "_make_mask", make)
    canvas.parts.set_part(replace(part, params=replace(part.params, high=0.8)), "To")
    qtbot.waitUntil(lambda: canvas.mask_view._made is not before)
    settle(opened, qtbot)


def ask(question: Question, *places: tuple[float, float]) -> None:
    """Press, drag and release at places of a widget that shows the picture twice as large."""
    place = lambda at: at / 2  # noqa: E731
    question.press(QPointF(*places[0]), place, SIZE)
    for at in places[1:]:
        question.drag(QPointF(*at))
    question.release(place, SIZE)


def test_a_point_is_asked_for_once():
    question, answers = Question(), []
    question.ask_point(answers.append)
    assert question.open
    ask(question, (41, 63))
    ask(question, (80, 80))
    assert [(at.x(), at.y()) for at in answers] == [(20, 31)] and not question.open
    question.ask_point(answers.append)
    ask(question, (-8, 10))  # beside the picture
    assert len(answers) == 1 and not question.open


def test_a_patch_is_dragged_clicked_and_cut_to_the_picture():
    question, answers = Question(), []
    for places in (((20, 40), (120, 100)), ((101, 81),), ((760, 560), (900, 700))):
        question.ask_patch(answers.append)
        ask(question, *places)
    assert answers[0] == QRect(10, 20, 50, 30)
    assert (answers[1].width(), answers[1].height()) == (5, 5) and answers[1].contains(50, 40)
    assert answers[2] == QRect(380, 280, 20, 20)
    question.ask_patch(answers.append)
    question.press(QPointF(10, 10), lambda at: at, SIZE)
    question.drag(QPointF(60, 40))
    image = QImage(100, 80, QImage.Format.Format_RGB32)
    image.fill(0)
    painter = QPainter(image)
    question.paint(painter)
    painter.end()
    assert image.pixel(10, 25) != image.pixel(30, 25)  # its outline
    question.drop()
    assert not question.release(lambda at: at, SIZE) and len(answers) == 3


def test_exact_pixels_of_the_whole_come_from_the_middle_outwards(window, qtbot, noisy):
    """At Fit, first a draft of all, then the exact tiles nearest the middle."""
    large = replace(noisy, pixels=np.tile(noisy.pixels, (8, 6, 1)))
    with qtbot.waitSignal(window.session.opened, timeout=20000):
        window.session.opening.open_from(lambda: large, "large.png")
    tiles, came = window.tiles, []
    window.session.add_step("sharpen")
    window.session.change_step(
        replace(window.session.step, params=replace(window.session.step.params, amount=120.0)), "sharpen"
    )
    tiles.changed.connect(lambda: came.extend(key for key in tiles.exact if key not in came))
    qtbot.waitUntil(lambda: tiles.shown_key is not None and tiles.settled, timeout=60000)
    assert tiles.view.level > 0 and len(came) > 12
    middle = tiles.view.region.center()
    away = [abs(256 + 512 * x - middle.x()) ** 2 + abs(256 + 512 * y - middle.y()) ** 2 for _, x, y in came]
    ranks = np.argsort(np.argsort(away, kind="stable"), kind="stable")
    assert np.abs(ranks - np.arange(len(away))).mean() < 2.5  # two workers end in either order
