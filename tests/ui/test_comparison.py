"""A comparison on one page: what it shows, as a picture and as a PDF."""

from __future__ import annotations

import re

import numpy as np
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog
from tests.ui.steer import propose, settle

from dustpan.ui.comparison.content import gather
from dustpan.ui.comparison.page import HEIGHT, OVERVIEW, WIDTH


def pixels_of(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
    return data.reshape(image.height(), image.bytesPerLine())[:, : 3 * image.width()].astype(float)


def test_a_page_shows_both_sides_the_figures_and_the_route(opened, qtbot, tmp_path, monkeypatch):
    propose(opened, qtbot)
    session = opened.session
    content = gather(
        session.engine, session.document, session.original, opened.proofs.items[:5], room=OVERVIEW, check=lambda: None
    )
    assert "ISO 12800" in content.facts and len(content.places) == 5
    assert [line.split(":")[0] for line in content.steps] == [step.title for step in session.route]
    assert content.readings[0].name == "Noise left"
    for pair in (content.overview, *content.places):
        before, after = pixels_of(pair.before), pixels_of(pair.after)
        assert before.shape == after.shape and np.abs(before - after).max() > 8
    assert (
        np.abs(np.diff(pixels_of(content.places[0].after)[:, ::3], axis=1)).mean()
        < np.abs(np.diff(pixels_of(content.places[0].before)[:, ::3], axis=1)).mean()
    )
    for ending, chosen in ((".png", "PNG picture (*.png)"), (".pdf", "PDF page (*.pdf)")):
        target = tmp_path / f"page{ending}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, t=target, c=chosen: (str(t.with_suffix("")), c))
        opened.actions_by_name["comparison"].trigger()
        qtbot.waitUntil(target.exists, timeout=30000)
    page = QImage(str(tmp_path / "page.png"))
    assert (page.width(), page.height()) == (WIDTH, HEIGHT)
    pdf = (tmp_path / "page.pdf").read_bytes()
    assert pdf.startswith(b"%PDF") and len(re.findall(rb"/Type\s*/Page\b", pdf)) == 1


def test_the_picture_itself_is_never_written_to(opened, qtbot, picture_file):
    before = picture_file.read_bytes()
    opened.comparison.save(picture_file)
    qtbot.waitUntil(lambda: "never written to" in opened.message.text.text(), timeout=30000)
    opened.session.add_step("noise")
    settle(opened, qtbot)
    opened.message.hide()
    opened.mask_files.save(picture_file)
    qtbot.waitUntil(lambda: opened.message.isVisible(), timeout=30000)
    assert "never written to" in opened.message.text.text() and picture_file.read_bytes() == before


def test_a_place_that_can_not_be_written_is_told(opened, qtbot, tmp_path):
    opened.comparison.save(tmp_path / "no folder" / "page.png")
    qtbot.waitUntil(lambda: "no folder" in opened.message.text.text(), timeout=30000)
    assert opened.message.harm
