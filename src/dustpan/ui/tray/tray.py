"""The strip of pictures opened together: what each looks like, what was found in it, what was done to it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QAbstractItemView, QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from dustpan.core.errors import DustpanError
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.judging.findings import Findings
from dustpan.ui.picture.reduced import image_from, small_of
from dustpan.ui.session.kept import name_of
from dustpan.ui.session.session import Session
from dustpan.ui.translation import counted, tr
from dustpan.ui.walking import Walking
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.buttons import word_button
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.text import shown_name

_WIDTH = 148  # px of the strip
_PICTURE = QSize(124, 82)
_LEAST = 2  # pictures, from which there is a tray


class Tray(QWidget):
    """Show the pictures opened together; a click goes to one, several can be chosen and given what this one has."""

    def __init__(self, session: Session, walking: Walking, findings: Findings):
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        self.session, self.walking, self.findings = session, walking, findings
        self.before: dict[Path, QImage] = {}
        self.found: dict[Path, list[str]] = {}  # what was found in pictures that were looked at
        self.wanted: Callable[[], bool] = lambda: True
        self._token = Token()
        self._listed: list[Path] = []
        self._make_parts()
        self._at: Path | None = None  # the picture that is shown
        for signal in (walking.changed, session.opened):
            signal.connect(self.refresh)
        session.giving.given.connect(self._show_given)
        session.edited.connect(lambda dragging: None if dragging else self._show_now())
        session.kept_anew.connect(self._show_now)
        findings.searched.connect(self._note_findings)

    def _make_parts(self) -> None:
        self.head = configured(QLabel(), objectName="faint")
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pictures opened together"))
        self.list.setIconSize(_PICTURE)
        self.list.setFont(theme.font(8.5))
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setFlow(QListWidget.Flow.TopToBottom)
        self.list.setWrapping(False)
        self.list.setMovement(QListWidget.Movement.Static)
        self.list.setSpacing(2)
        self.list.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.list.itemClicked.connect(self._clicked)
        self.list.itemActivated.connect(self._clicked)
        self.list.itemSelectionChanged.connect(self._show_buttons)
        self.give_route = word_button(
            tr("Give route"), tr("Give this picture's route to the chosen others, or to all others")
        )
        self.give_card = word_button(tr("Give card"), tr("Give the chosen card to the chosen others, or to all others"))
        self.give_route.clicked.connect(
            lambda: self._give(self.session.giving.route_to, "The route was given to {pictures}.")
        )
        self.give_card.clicked.connect(
            lambda: self._give(self.session.giving.card_to, "The card was given to {pictures}.")
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(4)
        column.addWidget(self.head)
        column.addWidget(self.list, 1)
        for button in (self.give_route, self.give_card):
            column.addWidget(button)

    # -- what is there ----------------------------------------------------------------------------------------

    @property
    def paths(self) -> list[Path]:
        """The pictures, in their order."""
        return self.session.pictures.paths

    def refresh(self) -> None:
        """List the pictures as they are now."""
        self.setVisible(self.wanted() and len(self.paths) >= _LEAST)
        if self.paths != self._listed:
            self._list_anew()
        if self._at is not None:
            self._show(self._at)  # as it was left
        self._at = self.session.path.absolute() if self.session.path else None
        self._show_now()
        for path in self.session.pictures.broken:
            self._show(path)

    def _list_anew(self) -> None:
        self._token.cancel()
        self._token = token = Token()
        self._listed = list(self.paths)
        self.before = {path: image for path, image in self.before.items() if path in self._listed}
        self.list.clear()
        if len(self._listed) < _LEAST:
            return
        lines = theme.metrics(8.5).lineSpacing()
        for path in self._listed:
            item = QListWidgetItem(shown_name(path))
            item.setData(Qt.ItemDataRole.UserRole, path)
            item.setSizeHint(QSize(_PICTURE.width() + 4, _PICTURE.height() + 2 * lines + 6))  # also before its picture
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter)
            self.list.addItem(item)
            if path in self.before:
                self._show(path)
            else:
                job, take = partial(small_of, path, 2 * _PICTURE.width()), partial(self._take, path)
                self.session.jobs.run(job, take, priority=Priority.AROUND, token=token, failed=_nothing)

    def _take(self, path: Path, pixels: np.ndarray) -> None:
        self.before[path] = image_from(pixels)
        self._show(path)

    def _note_findings(self) -> None:
        """Remember what was found in the picture that is shown."""
        path, faults = self.session.path, self.findings.faults
        if path is not None and faults is not None:
            self.found[path.absolute()] = [finding.text for finding in faults]
            self._show(path.absolute())

    def _show_given(self, paths: list[Path]) -> None:
        for path in paths:
            self._show(path)

    def _show_now(self) -> None:
        """Show the picture that is open as it is now."""
        if self._at is not None:
            self._show(self._at)
        at = self.session.pictures.index(self.session.path)
        shown = self.list.item(at) if at >= 0 else None
        if shown is not None and len(self.list.selectedItems()) < _LEAST:
            self.list.setCurrentItem(shown)
        self.head.setText(self.walking.position)
        self._show_buttons()

    def _show(self, path: Path) -> None:
        """Show one picture: its small pictures, its name, how far it is."""
        if path not in self._listed:
            return
        item = self.list.item(self._listed.index(path))
        if item is None:
            return
        words = self._words(path)
        item.setText(f"{shown_name(path)}\n{words}")
        known = self.found.get(path)
        found = tr("not looked at yet") if known is None else ", ".join(known) or tr("nothing")
        item.setToolTip(
            tr("{name}\n{words}\nFound: {found}", name=shown_name(path, whole=True), words=words, found=found)
        )
        before, after = self.before.get(path), self.session.kept.picture(name_of(path))
        halves, icon = _halves(before, after), QIcon()
        for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
            icon.addPixmap(halves, mode)  # else a chosen one would be tinted
        item.setIcon(icon)

    def _words(self, path: Path) -> str:
        if path in self.session.pictures.broken:
            return tr("can't be read")
        shown = self.session.path is not None and path == self.session.path.absolute()
        state = self.session.pictures.state(path)
        if shown:
            steps = len(self.session.route)
        elif state is not None:
            steps = len(state.history.document.route)
        else:
            work = self.session.pictures.given.get(path) or self.session.kept.find(name_of(path))
            steps = len(work.route) if work is not None else 0
        words = counted("{count} step", "{count} steps", steps) if steps else tr("no steps")
        return words + (tr(" · {count} found", count=len(self.found[path])) if path in self.found else "")

    # -- what is done -----------------------------------------------------------------------------------------

    def _clicked(self, item: QListWidgetItem) -> None:
        """Go to a picture, unless several are being chosen."""
        if len(self.list.selectedItems()) < _LEAST:
            self.walking.go_to(item.data(Qt.ItemDataRole.UserRole))

    @property
    def chosen_others(self) -> list[Path]:
        """The chosen pictures but the one that is shown; all others where no other is chosen."""
        shown = self.session.path.absolute() if self.session.path else None
        chosen = [item.data(Qt.ItemDataRole.UserRole) for item in self.list.selectedItems()]
        return [p for p in chosen if p != shown] or [p for p in self._listed if p != shown]

    def _show_buttons(self) -> None:
        there = self.session.engine is not None and len(self.session.route) > 0
        self.give_route.setEnabled(there)
        self.give_card.setEnabled(there and self.session.step is not None)

    def _give(self, give: Callable[[list[Path]], int], words: str) -> None:
        count = give([path for path in self.chosen_others if path not in self.session.pictures.broken])
        pictures = counted("{count} other picture", "{count} other pictures", count)
        take_back = self.session.giving.take_back
        self.session.offered.emit(tr(words, pictures=pictures), tr("Take it back"), take_back, _leave)

    def stop(self) -> None:
        """Drop the work under way."""
        self._token.cancel()


def _halves(before: QImage | None, after: QImage | None) -> QPixmap:
    """Return a picture of which the left half is as it came and the right half as its route makes it."""
    pixmap = QPixmap(2 * _PICTURE)
    pixmap.fill(theme.colour("raised"))
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    for image, side in ((before, 0), (after or before, 1)):
        if image is None:
            continue
        size = image.size().scaled(pixmap.size(), Qt.AspectRatioMode.KeepAspectRatio)
        place = QRectF((pixmap.width() - size.width()) / 2, (pixmap.height() - size.height()) / 2, *_sides(size))
        painter.setClipRect(QRect(side * pixmap.width() // 2, 0, pixmap.width() // 2, pixmap.height()))
        painter.drawImage(place, image)
    painter.setClipping(False)
    if after is not None:
        painter.setPen(theme.colour("bright"))
        painter.drawLine(pixmap.width() // 2, 0, pixmap.width() // 2, pixmap.height())
    painter.end()
    return pixmap


def _sides(size: QSize) -> tuple[int, int]:
    return size.width(), size.height()


def _leave() -> None:
    """Leave it so."""


def _nothing(fault: DustpanError) -> None:
    """Leave a picture without a small one; the fault shows when it is opened."""
