"""Drawing the page of a comparison, as a picture or as a PDF: dark words on white, for paper and for a client."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter

from dustpan.core.errors import SaveError
from dustpan.core.work.cancel import Check, no_check
from dustpan.files.atomic import save_whole
from dustpan.ui.comparison.content import Content, PairOfImages
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

WIDTH, HEIGHT = 1754, 1240  # px: A4 across at 150 to the inch
_DPI = 150
_MARGIN, _GAP = 60, 20
_COLUMN = 430  # px of the words at the right
OVERVIEW = ((WIDTH - 2 * _MARGIN - _COLUMN - 40 - _GAP) // 2, 470)  # px of each side
_INK, _FAINT, _LINE = QColor("#22282a"), QColor("#5d6669"), QColor("#c9cfd1")
_GOOD, _HARM = QColor("#2d7566"), QColor("#a03f34")
_TO_POINTS = 72 / _DPI


def save_page(path: Path, content: Content, *, sources: Iterable[Path] = (), check: Check = no_check) -> None:
    """Write the page as PDF, or as PNG; whole or not at all. Raises SaveError that names the file.

    sources : files that are never written to.
    check : raises to stop before the file is renamed.
    """

    def write(part: Path) -> None:
        done = (
            _write_pdf(part, content) if path.suffix.lower() == ".pdf" else page_image(content).save(str(part), "PNG")
        )
        if not done:
            raise SaveError(f"{path}: can't be written.")

    save_whole(path, write, overwrite=True, sources=sources, check=check)  # the file dialog has asked


def page_image(content: Content) -> QImage:
    """Return the page as an image."""
    image = QImage(WIDTH, HEIGHT, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    draw_page(painter, content)
    painter.end()
    return image


def _write_pdf(path: Path, content: Content) -> bool:
    writer = QPdfWriter(str(path))
    writer.setTitle(content.title)
    writer.setResolution(_DPI)
    size = QPageSize(QSizeF(HEIGHT * _TO_POINTS, WIDTH * _TO_POINTS), QPageSize.Unit.Point)
    writer.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Landscape, QMarginsF()))
    painter = QPainter(writer)
    draw_page(painter, content)
    return painter.end()


def draw_page(painter: QPainter, content: Content) -> None:
    """Draw the page in px of `WIDTH` x `HEIGHT`."""
    painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
    _write(painter, QRectF(_MARGIN, 44, 1100, 44), content.title, 30, _INK, bold=True)
    _write(painter, QRectF(_MARGIN, 90, 1100, 28), content.facts, 17, _FAINT)
    top = 140
    bottom = _draw_pair(painter, content.overview, _MARGIN, top, OVERVIEW[0], OVERVIEW[1])
    _draw_places(painter, content, bottom + 26)
    _draw_words(painter, content, WIDTH - _MARGIN - _COLUMN, top)


def _draw_pair(painter: QPainter, pair: PairOfImages, left: float, top: float, width: float, most: float) -> float:
    """Draw both sides of a pair beside one another; return where they end."""
    end = top
    for number, (image, word) in enumerate(((pair.before, "before"), (pair.after, "after"))):
        size = image.size().scaled(int(width), int(most), Qt.AspectRatioMode.KeepAspectRatio)
        x = left + number * (width + _GAP)
        _write(painter, QRectF(x, top, width, 24), f"{pair.name}, {tr(word)}", 15, _FAINT)
        painter.drawImage(QRectF(x, top + 28, size.width(), size.height()), image)
        end = max(end, top + 28 + size.height())
    return end


def _draw_places(painter: QPainter, content: Content, top: float) -> None:
    """Draw the places at actual pixels in a row, before over after."""
    if not content.places:
        return
    room = WIDTH - 2 * _MARGIN - _COLUMN - 40
    side = min((room - _GAP * (len(content.places) - 1)) / len(content.places), (HEIGHT - _MARGIN - top - 24) / 2 - 4)
    for number, pair in enumerate(content.places):
        x = _MARGIN + number * (side + _GAP)
        _write(painter, QRectF(x, top, side, 24), tr("{name}: before, after", name=pair.name), 15, _FAINT)
        for row, image in enumerate((pair.before, pair.after)):
            painter.drawImage(QRectF(x, top + 26 + row * (side + 6), side, side), image, _middle(image, side))


def _middle(image: QImage, side: float) -> QRectF:
    """Return the middle square of an image, of at most so many pixels: each is drawn as one."""
    length = min(image.width(), image.height(), int(side))
    return QRectF((image.width() - length) / 2, (image.height() - length) / 2, length, length)


def _draw_words(painter: QPainter, content: Content, left: float, top: float) -> None:
    """Draw figures and route in a column."""
    y = top
    _write(painter, QRectF(left, y, _COLUMN, 28), tr("Readings"), 19, _INK, bold=True)
    y += 38
    for reading in content.readings:
        _write(painter, QRectF(left, y, 150, 26), reading.name, 16, _FAINT)
        _write(painter, QRectF(left + 150, y, 150, 26), reading.figure, 16, _INK)
        _write(painter, QRectF(left + 300, y, 130, 26), reading.word, 16, _HARM if reading.harm else _GOOD)
        y += 32
    painter.setPen(_LINE)
    painter.drawLine(int(left), int(y + 12), int(left + _COLUMN), int(y + 12))
    y += 34
    _write(painter, QRectF(left, y, _COLUMN, 28), tr("What was done"), 19, _INK, bold=True)
    y += 40
    for number, line in enumerate(content.steps or ["nothing"], 1):
        text = f"{number}.  {line}" if content.steps else line
        y += _write(painter, QRectF(left, y, _COLUMN, HEIGHT - _MARGIN - y), text, 16, _INK, wrap=True) + 10


def _write(
    painter: QPainter, box: QRectF, text: str, size: int, tint: QColor, *, bold: bool = False, wrap: bool = False
) -> float:
    """Write text of a height in px; return how high it has become."""
    font = theme.font(9, bold=bold)
    font.setPixelSize(size)
    painter.setFont(font)
    painter.setPen(tint)
    flags = Qt.AlignmentFlag.AlignTop.value | (Qt.TextFlag.TextWordWrap if wrap else Qt.TextFlag.TextSingleLine).value
    if not wrap:
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
    bounds = painter.boundingRect(box, flags, text)
    painter.drawText(box, flags, text)
    return bounds.height()
