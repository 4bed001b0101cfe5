"""A popup with the takes that were kept and the history, to compare with and to step through."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.document.differences import differences
from dustpan.core.document.history import Document
from dustpan.core.work.cancel import Token
from dustpan.ui.picture.compare import ORIGINAL, Compare
from dustpan.ui.picture.small import ask_small
from dustpan.ui.session.session import Session
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.icons import icon

_SMALL = QSize(96, 64)  # px
_NAME = Qt.ItemDataRole.UserRole


class States(QFrame):
    """Takes at the left, each with a small picture and what it has otherwise; the history at the right."""

    def __init__(self, session: Session, compare: Compare, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("steplist")
        self.session, self.compare = session, compare
        self.setFixedSize(660, 380)
        self._pictures: dict[Document, QImage] = {}
        self._token = Token()
        self.takes = self._list(tr("Takes"), tr("Double-click, or Enter, goes back to a take; that can be undone."))
        self.history = self._list(
            tr("History"), tr("Every change so far; choose one to go there. What comes after it can be redone.")
        )
        self.takes.setIconSize(_SMALL)
        self.takes.setWordWrap(True)
        self.takes.setSpacing(2)
        self.takes.itemActivated.connect(lambda item: session.go_to_take(item.data(_NAME)))
        self.history.currentRowChanged.connect(self._step)
        self.buttons = {
            name: self._button(picture, tip, run)
            for name, picture, tip, run in (
                ("keep", "add", tr("Keep the route as it stands as a take (T)"), lambda: session.keep_take()),
                ("compare", "compare", tr("Compare with this take"), self._compare),
                ("rename", "rename", tr("Give this take another name"), self._rename),
                ("drop", "delete", tr("Forget this take"), self._drop),
            )
        }
        under = QHBoxLayout()
        for button in self.buttons.values():
            under.addWidget(button)
        under.addStretch()
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(configured(QLabel(tr("Takes")), objectName="faint"))
        left.addWidget(self.takes, 1)
        left.addLayout(under)
        right.addWidget(configured(QLabel(tr("History")), objectName="faint"))
        right.addWidget(self.history, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 10, 10, 10)
        row.addLayout(left, 3)
        row.addLayout(right, 2)
        session.opened.connect(self._begin)
        session.taken.connect(self.refresh)
        session.edited.connect(lambda dragging: None if dragging else self.refresh())
        self.takes.currentRowChanged.connect(lambda n: self._enable_buttons())
        self.refresh()

    def _list(self, name: str, tip: str) -> QListWidget:
        entries = configured(QListWidget(), horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        entries.setAccessibleName(name)
        entries.setToolTip(tip)
        return entries

    def _button(self, picture: str, tip: str, run) -> QPushButton:
        button = QPushButton(icon(picture, theme.GREYS.text), "")
        button.setFixedSize(32, 28)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda: run())
        return button

    def open_at(self, corner) -> None:
        """Show the popup with its right upper corner at a global place."""
        self.refresh()
        self.move(corner.x() - self.width(), corner.y())
        self.show()
        self.history.setFocus()
        self._draw_pictures()

    def refresh(self) -> None:
        """Show takes and history as they are."""
        self._show_history()
        self._show_takes()
        self._enable_buttons()
        if self.isVisible():
            self._draw_pictures()

    def _begin(self) -> None:
        """Forget the pictures of another picture's takes."""
        self._token.cancel()
        self._pictures = {}
        self.refresh()

    def _show_history(self) -> None:
        names = [tr(entry.label) for entry in self.session.history.entries]
        with QSignalBlocker(self.history):
            if [self.history.item(n).text() for n in range(self.history.count())] != names:
                self.history.clear()
                self.history.addItems(names)
            self.history.setCurrentRow(self.session.history.at)

    def _show_takes(self) -> None:
        chosen = self._chosen
        with QSignalBlocker(self.takes):
            self.takes.clear()
            for name, document in self.session.takes.items():
                words = "; ".join(differences(self.session.route, document.route)) or tr("as it is now")
                item = QListWidgetItem(f"{name}\n{words}")
                item.setData(_NAME, name)
                item.setToolTip(words)
                image = self._pictures.get(document)
                item.setIcon(QIcon(_framed(image)))
                self.takes.addItem(item)
                if name == chosen:
                    self.takes.setCurrentItem(item)

    def _draw_pictures(self) -> None:
        """Have the small pictures drawn that are not there yet."""
        engine, takes = self.session.engine, self.session.takes.values()
        self._pictures = {document: image for document, image in self._pictures.items() if document in takes}
        self._token.cancel()
        self._token = token = Token()
        for document in takes:
            if engine is not None and document not in self._pictures:
                ask_small(self.session.jobs, engine, document, partial(self._take_picture, document), token)

    def _take_picture(self, document: Document, image: QImage) -> None:
        self._pictures[document] = image
        self._show_takes()
        self._enable_buttons()

    @property
    def drawn(self) -> bool:
        """Whether every take has its small picture."""
        return all(document in self._pictures for document in self.session.takes.values())

    @property
    def _chosen(self) -> str:
        """Name of the chosen take, or empty."""
        item = self.takes.currentItem()
        return item.data(_NAME) if item is not None else ""

    def _enable_buttons(self) -> None:
        self.buttons["keep"].setEnabled(self.session.engine is not None)
        for name in ("compare", "rename", "drop"):
            self.buttons[name].setEnabled(bool(self._chosen))

    def _step(self, number: int) -> None:
        if number >= 0 and number != self.session.history.at:
            self.session.go_to(number)

    def _compare(self) -> None:
        self.compare.set(against=self._chosen)

    def _rename(self) -> None:
        old = self._chosen
        new, sure = QInputDialog.getText(self.parentWidget(), tr("Rename the take"), tr("Name:"), text=old)
        if sure:
            self.rename(old, new.strip())

    def rename(self, old: str, new: str) -> None:
        """Give a take another name; what is compared with it stays so."""
        self.session.rename_take(old, new)
        if self.compare.now.against == old and new in self.session.takes:
            self.compare.set(against=new)

    def _drop(self) -> None:
        name = self._chosen
        if self.compare.now.against == name:
            self.compare.set(against=ORIGINAL)
        self.session.drop_take(name)


def _framed(image: QImage | None) -> QPixmap:
    """Return the middle of an image in the size that takes are shown in, or a plain field."""
    field = QPixmap(_SMALL)
    field.fill(theme.colour("raised"))
    if image is None:
        return field
    filled = image.scaled(
        _SMALL, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    left, top = (filled.width() - _SMALL.width()) // 2, (filled.height() - _SMALL.height()) // 2
    return QPixmap.fromImage(filled.copy(left, top, _SMALL.width(), _SMALL.height()))
