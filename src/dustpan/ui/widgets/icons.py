"""Icons from the icon font that QtAwesome ships.

The package itself is not loaded: it brings a second layer over Qt that takes 0.3 s of the start. Its font and
its table of names are all that is needed here.
"""

from __future__ import annotations

import json
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap, QPolygonF

_FONT = "fontawesome6-solid-webfont"
_DRAWN = 64  # px; smaller sizes are reduced from it


@cache
def _font() -> tuple[QFont, dict[str, str]]:
    """Return the icon font and its characters by name."""
    found = find_spec("qtawesome")
    assert found is not None and found.origin is not None
    folder = Path(found.origin).parent / "fonts"
    number = QFontDatabase.addApplicationFont(str(next(folder.glob(f"{_FONT}-[0-9]*.ttf"))))
    font = QFont(QFontDatabase.applicationFontFamilies(number)[0])
    font.setStyleName("Solid")
    font.setPixelSize(_DRAWN * 7 // 8)
    names = json.loads(next(folder.glob(f"{_FONT}-charmap-*.json")).read_text())
    return font, {name: chr(int(code, 16)) for name, code in names.items()}


def icon(name: str, colour: str) -> QIcon:
    """Return an icon by its name in the font, drawn in one colour."""
    font, letters = _font()
    picture = QPixmap(_DRAWN, _DRAWN)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setFont(font)
    painter.setPen(QColor(colour))
    painter.drawText(QRectF(0, 0, _DRAWN, _DRAWN), Qt.AlignmentFlag.AlignCenter, letters[name])
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
