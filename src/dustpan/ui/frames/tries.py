"""A small region of the result under several methods, side by side."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from dustpan.core.frames.combining import Method
from dustpan.core.frames.showing import Showing
from dustpan.ui.frames.work import TRIED, Try
from dustpan.ui.picture.reduced import image_from
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_WORDS = 48  # px under the picture for its words


class TryTile(QPushButton):
    """One method: its region, its name, its figures. A click chooses the method."""

    def __init__(self, name: str, method: Method):
        super().__init__()
        self.name, self.method = tr(name), method
        self.chosen = False
        self.image: QImage | None = None
        self.figures: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(96, 130)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(tr("{name}: a click combines the whole this way", name=tr(name)))
        self.setAccessibleName(tr(name))

    def sizeHint(self) -> QSize:
        """Return room for the whole region."""
        return QSize(132, 170)

    def show_try(self, found: Try, image: QImage, best: float) -> None:
        """Show the region and its figures; `best` : the lowest noise of all methods."""
        self.image = image
        trails = tr("no trails") if found.trails < 1e-4 else tr("trails on {share:.1f} %", share=100 * found.trails)
        self.figures = tr("noise × {times:.2f}", times=found.noise / max(best, 1e-12)), trails
        self.setAccessibleDescription(", ".join(self.figures))
        self.update()

    def show_chosen(self, chosen: bool) -> None:
        """Mark the method that is chosen."""
        self.chosen = chosen
        self.setAccessibleName(tr("{name}, chosen", name=self.name) if chosen else self.name)
        self.update()

    def paintEvent(self, event):
        """Draw the region and the words."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.chosen else "line"), 1.5))
        painter.setBrush(theme.colour("#2C4A44" if self.chosen else "ground"))
        painter.drawRoundedRect(frame, 6, 6)
        room = frame.adjusted(5, 5, -5, -_WORDS)
        if self.image is not None:
            side = min(room.width(), room.height())
            square = QRectF(room.center().x() - side / 2, room.top(), side, side)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, side < self.image.width())
            painter.drawImage(square, self.image)
        below = QRectF(frame.left() + 4, frame.bottom() - _WORDS + 3, frame.width() - 8, 15)
        centred = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
        lines = [(self.name, 9.0, "bright"), *((words, 8.0, "faint") for words in self.figures)]
        for words, size, tint in lines:
            painter.setFont(theme.font(size))
            painter.setPen(theme.colour(tint))
            text = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(below.width()))
            painter.drawText(below, centred, text)
            below.translate(0, 14)


class Tries(QWidget):
    """All methods side by side.

    Signals
    -------
    chosen(method) : the whole is to be combined this way.
    """

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.tiles = [TryTile(name, method) for name, method in TRIED]
        for tile in self.tiles:
            tile.clicked.connect(lambda _=False, method=tile.method: self.chosen.emit(method))
            row.addWidget(tile, 1)

    def show_tries(self, found: Sequence[Try]) -> None:
        """Show what the methods make of a region, all with the same black and white."""
        showing = Showing.of(found[1].light)  # the median has no trails
        best = min(each.noise for each in found)
        for tile, each in zip(self.tiles, found, strict=True):
            tile.show_try(each, image_from(showing.shown(each.light)), best)

    def show_method(self, method: Method) -> None:
        """Mark the method that is chosen."""
        for tile in self.tiles:
            tile.show_chosen(tile.method == method)
