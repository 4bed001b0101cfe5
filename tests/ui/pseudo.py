"""A made-up language: longer than English, with accents, and marked, so that what is not translated stands out."""

from __future__ import annotations

import re
from collections.abc import Iterator

from PyQt6.QtCore import QTranslator
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QListWidget, QTreeWidget, QWidget

from dustpan.ui.translation import CONTEXT

_ACCENTS = str.maketrans("aeiouAEIOUnsc", "àéîöûÀÉÎÖÛñšç")
_LONGER = 0.3  # as German or Finnish is longer than English
#: What is no text of the program: names of files, cameras and formats, units, what the toolkit itself translates.
_DATA = re.compile(
    r"\S*\.(png|jpg|json|fits)\b|Quillmark Q3|Dustpan"
    r"|\b(ISO|MP|px|PNG|JPEG|TIFF|WebP|FITS|EXR|DNG|JPEG XL|RGB|Cancel)\b"
)


class Pseudo(QTranslator):
    """Translate every text into the made-up language; what is in it already stays."""

    def translate(self, context, text, disambiguation=None, n=-1) -> str:
        if context != CONTEXT or not text.strip() or text.startswith("["):
            return text
        parts = re.split(r"(\{[^}]*\}|\n)", text)
        accented = "".join(part if part.startswith("{") else part.translate(_ACCENTS) for part in parts)
        longer = round(_LONGER * len(text))
        return f"[{accented}{'~~~~~~~ ' * (longer // 8)}{'~' * (longer % 8)}]"

    def isEmpty(self) -> bool:
        return False


def untranslated_in(window: QWidget) -> Iterator[str]:
    """Texts of a window and of what is in it that are English still."""
    for widget in (window, *window.findChildren(QWidget)):
        for text in _texts_of(widget):
            if _is_english(text):
                yield f"{type(widget).__name__}: {text!r} is not translated"
    for action in window.findChildren(QAction):
        if isinstance(action.parent(), QWidget):  # else it is the plotting library's, and not shown
            for text in (action.text(), action.toolTip()):
                if _is_english(text):
                    yield f"action {text!r} is not translated"


def _is_english(text: str) -> bool:
    """Whether words are left that no translator has seen; faults that name a file come from below the window."""
    return not text.startswith("/") and "[" not in text and bool(re.search("[A-Za-z]{2}", _DATA.sub("", text)))


def _texts_of(widget: QWidget) -> Iterator[str]:
    yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription())
    if widget.isWindow():
        yield widget.windowTitle()
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    elif isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    elif isinstance(widget, QComboBox):
        yield from (widget.itemText(n) for n in range(widget.count()))
    elif isinstance(widget, QListWidget):
        yield from (widget.item(n).text() for n in range(widget.count()))
    elif isinstance(widget, QTreeWidget):
        yield from (widget.headerItem().text(n) for n in range(widget.columnCount()))
