"""Every text of the window passes through here on its way to the screen, so that it can be translated.

Texts are written in English where they are used: `tr("Saved {name}.", name=file.name)`. Tables of a module are
made before there is an application, and the core knows none: their texts are translated where they are shown.
"""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication

#: The context under which translators are asked for a text.
CONTEXT = "dustpan"


def tr(text: str, /, **fields: object) -> str:
    """Return a text in the language of the window, with its fields filled in.

    Parameters
    ----------
    text : English, with fields in braces as of `str.format`; without fields braces stand for themselves.
    fields : what the fields hold; a translation may name them in another order.
    """
    words = QCoreApplication.translate(CONTEXT, text)
    return words.format(**fields) if fields else words


def counted(one: str, many: str, count: int, /, **fields: object) -> str:
    """Return the text for one thing or for several, with `{count}` filled in."""
    return tr(one if count == 1 else many, count=count, **fields)
