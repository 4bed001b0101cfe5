"""Icons: characters of the shipped icon font, by our own names."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap, QPolygonF

_DRAWN = 64  # px; smaller sizes are reduced from it

_CHARACTERS = {
    "add": "\u002b",
    "again": "\uf2f1",
    "close": "\uf00d",
    "compare": "\uf24e",
    "delete": "\uf1f8",
    "note": "\uf05a",
    "rename": "\uf304",
    "warning": "\uf071",
}
"""The font's characters by the names used here."""


@cache
def _font() -> QFont:
    """Return the icon font, registered with Qt at the first call."""
    data = files("dustpan.ui.widgets").joinpath("fonts", "icons", "symbols.ttf").read_bytes()
    number = QFontDatabase.addApplicationFontFromData(data)
    font = QFont(QFontDatabase.applicationFontFamilies(number)[0])
    font.setStyleName("Solid")
    font.setPixelSize(_DRAWN * 7 // 8)
    return font


def icon(name: str, colour: str) -> QIcon:
    """Return an icon drawn in one colour.

    Raises
    ------
    KeyError
        If no icon has this name.
    """
    character = _CHARACTERS[name]
    picture = QPixmap(_DRAWN, _DRAWN)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setFont(_font())
    painter.setPen(QColor(colour))
    painter.drawText(QRectF(0, 0, _DRAWN, _DRAWN), Qt.AlignmentFlag.AlignCenter, character)
    painter.end()
    return QIcon(picture)


def keyhole(colour: str) -> QIcon:
    """Return a keyhole: a round above a widening slot."""
    picture = QPixmap(_DRAWN, _DRAWN)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    painter.drawEllipse(QRectF(19, 6, 26, 26))
    painter.drawPolygon(QPolygonF([QPointF(27, 26), QPointF(37, 26), QPointF(43, 58), QPointF(21, 58)]))
    painter.end()
    return QIcon(picture)
