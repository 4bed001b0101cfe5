"""The guide in a window of its own: pages by task, the steps, the keys."""

from __future__ import annotations

import re
from importlib.resources import files

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QTextBrowser, QWidget

from dustpan.ui.translation import tr

_SIZE = (900, 680)
_BESIDE = 24  # px that a list is wider than its longest title
_MARGIN = 12  # px between the page's rim and its text
_PICTURE = re.compile(r"!\[[^\]]*\]\([^)]*\)\n?")


def pages() -> dict[str, str]:
    """Return the pages of the guide by their titles, as Markdown without pictures; tasks come first, in their order."""
    folder = files("dustpan").joinpath("guide")
    texts = {item.name: item.read_text("utf-8") for item in folder.iterdir() if item.name.endswith(".md")}
    ordered = sorted((name for name in texts if name != "README.md"), key=lambda name: (not name[0].isdigit(), name))
    return {texts[name].splitlines()[0].lstrip("# "): _PICTURE.sub("", texts[name]) for name in ordered}


class Guide(QWidget):
    """Read the guide."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Guide – Dustpan"))
        self._pages = pages()
        self.list = QListWidget()
        self.list.addItems(list(self._pages))
        self.list.setFixedWidth(self.list.sizeHintForColumn(0) + _BESIDE)
        self.list.setAccessibleName(tr("Pages"))
        self.page = QTextBrowser()
        self.page.setOpenLinks(False)
        self.page.setAccessibleName(tr("Page"))
        self.list.currentTextChanged.connect(self._show)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 10, 10, 10)
        row.addWidget(self.list)
        row.addWidget(self.page, 1)
        QShortcut(QKeySequence("Esc"), self).activated.connect(self.close)
        self.resize(*_SIZE)
        self.list.setCurrentRow(0)

    def _show(self, title: str) -> None:
        self.page.setMarkdown(self._pages.get(title, ""))
        document = self.page.document()
        assert document is not None
        document.setDocumentMargin(_MARGIN)


def show_guide(window: QWidget) -> Guide:
    """Show the guide beside a window."""
    guide = Guide(window)
    guide.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    guide.show()
    return guide
