"""The strip of proofs along the bottom, and their frames on the picture."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from dustpan.ui.judging.proof_tile import HEAD, SEAM, ProofTile
from dustpan.ui.judging.proofs import MOST, Proof, Proofs
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.edge import Edge
from dustpan.ui.widgets.icons import icon

LOWEST, HIGHEST = 96, 320  # px, height of the pictures
_GAP = 8
_AT_ONCE = 5  # proofs that fill the width; more of them scroll
_LEAST = 130  # px, width of a proof


_EDGE_TIP = "Drag to make the proofs larger or smaller (up and down keys too); a click folds them away (F7)"


class ProofStrip(QWidget):
    """The row of proofs along the bottom, and their frames on the picture.

    Signals
    -------
    sized(height) : the pictures have another height.
    told(text) : something to say.
    followed : a proof was gone to, or looked at large.
    """

    sized = pyqtSignal(int)
    told = pyqtSignal(str)
    followed = pyqtSignal()

    def __init__(self, proofs: Proofs, height: int = 104, parent: QWidget | None = None):
        super().__init__(parent)
        self.proofs, self.canvas = proofs, proofs.canvas
        self._held: Proof | None = None
        self._grip = QPointF()
        self._framed: list[Proof] = []
        self._labels: list[tuple[Proof, QRectF]] = []
        self.frames_shown = True
        self.grip = Edge("bottom", tr("Height of the proofs"), tr(_EDGE_TIP))
        self.grip.moved.connect(lambda by: self.set_height(self._height + by))
        self.tiles = [ProofTile(proofs, number) for number in range(MOST)]
        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(_GAP)
        for tile in self.tiles:
            tile.full.connect(self._show_large)
            tile.full.connect(lambda proof: self.followed.emit())
            tile.gone.connect(self.followed)
            row.addWidget(tile)
        row.addStretch()
        self._scroll = configured(
            QScrollArea(), widgetResizable=True, verticalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        )
        self._scroll.setWidget(body)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addSpacing(HEAD)
        self.add_button = self._button(
            "add", tr("Pin the place in the middle of the picture (Shift+P)"), self.add_middle
        )
        self.again_button = self._button(
            "again", tr("Choose the five places again from the picture"), proofs.choose_again
        )
        for button in (self.add_button, self.again_button):
            side.addWidget(button)
        side.addStretch()
        whole = QHBoxLayout(self)
        whole.setContentsMargins(10, 2, 4, 0)
        whole.setSpacing(6)
        whole.addWidget(self._scroll, 1)
        whole.addLayout(side)
        proofs.changed.connect(self.refresh)
        self.canvas.overlays.append(self.paint_frames)
        self.canvas.grips.append(self)
        self._height = 0
        self.set_height(height)
        self.refresh()

    def _button(self, name: str, tip: str, run) -> QPushButton:
        button = QPushButton(icon(name, theme.GREYS.text), "")
        button.setFixedSize(28, 28)
        button.setToolTip(tip)
        button.setAccessibleName(tip.partition(" (")[0])
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: run())
        return button

    def add_middle(self) -> None:
        """Pin the place in the middle of what is shown."""
        middle = self.canvas.tiles.view.region.center()
        if not self.proofs.add(middle.x(), middle.y()):
            self.told.emit(tr("There are {most} proofs already. Remove one (Del) to pin another.", most=MOST))
            return
        bar = self._scroll.horizontalScrollBar()
        QTimer.singleShot(0, lambda: bar.setValue(bar.maximum()))

    def _show_large(self, proof: Proof | None) -> None:
        """Show a proof large while it is pressed: both sides beside one another where the picture is."""
        if proof is None:
            self.canvas.end_peek()
        else:
            self.canvas.peek_at(proof.x, proof.y, float(proof.zoom))

    def show_frames(self, on: bool) -> None:
        """Show or hide the frames on the picture."""
        self.frames_shown = on
        self.canvas.update()

    @property
    def at_least(self) -> bool:
        """Whether the pictures are as low as they can be."""
        return self._height <= LOWEST

    def set_height(self, height: int) -> None:
        """Make the pictures another height, 96 to 320 px."""
        height = min(max(height, LOWEST), HIGHEST)
        if height != self._height:
            self._height = height
            self._scroll.setFixedHeight(height + HEAD + 9)
            self._fill()
            self.sized.emit(height)

    def resizeEvent(self, event):
        """Fill the width there is."""
        super().resizeEvent(event)
        self._fill()

    def event(self, event):
        """Fill it in the pixels of another screen, too."""
        if event.type() == QEvent.Type.DevicePixelRatioChange:
            self._fill()
        return super().event(event)

    def _fill(self) -> None:
        """Give the proofs the width there is, and the height that was chosen."""
        count = min(max(len(self.proofs.items), 1), _AT_ONCE)
        width = max((self._scroll.viewport().width() - (count - 1) * _GAP) // count, _LEAST)
        half = QSize((width - SEAM) // 2, self._height)
        for tile in self.tiles:
            tile.setFixedSize(2 * half.width() + SEAM, half.height() + HEAD)
        self.proofs.resize(half * self.devicePixelRatioF())

    def refresh(self) -> None:
        """Show the proofs as they are."""
        for tile in self.tiles:
            tile.refresh()
        if self._framed != self.proofs.items:  # frames move, or come and go: only then is the picture drawn anew
            if len(self._framed) != len(self.proofs.items):
                self._fill()
            self._framed = list(self.proofs.items)
            self.canvas.update()
        ready = self.proofs.session.engine is not None
        self.add_button.setEnabled(ready)
        self.again_button.setEnabled(ready)

    # -- frames on the picture --------------------------------------------------------------------------------

    def _frame(self, proof: Proof) -> QRectF:
        area = self.proofs.region(proof)
        picture = QRectF(self.canvas.picture_rect())
        zoom = self.canvas.scale
        return QRectF(
            picture.left() + area.left() * zoom,
            picture.top() + area.top() * zoom,
            area.width() * zoom,
            area.height() * zoom,
        )

    def paint_frames(self, painter: QPainter) -> None:
        """Draw the proofs' frames with their names, where the proofs themselves are shown."""
        self._labels = []
        if (
            not self.isVisible()
            or not self.frames_shown
            or self.canvas.peeking
            or self.canvas.compare.now.mode in ("removed", "inside")
        ):
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(theme.font(8))
        seen = QRectF(self.canvas.picture_rect()).intersected(QRectF(self.canvas.rect()))
        for proof in self.proofs.items:
            frame = self._frame(proof)
            if not frame.intersects(seen):
                continue
            for pen in (QPen(theme.colour("ground", 150), 3), QPen(theme.colour("bright", 190), 1)):
                painter.setPen(pen)
                painter.drawRect(frame)
            metrics = painter.fontMetrics()
            label = QRectF(0, 0, metrics.horizontalAdvance(proof.shown) + 8, metrics.height())
            above, beside = frame.top() - label.height() - 2, frame.left() - label.width() - 3
            if above >= seen.top():
                label.moveTo(max(min(frame.left() - 1, seen.right() - label.width()), seen.left()), above)
            else:
                label.moveTo(beside if beside >= seen.left() else frame.right() + 3, frame.top())
            self._labels.append((proof, label))
            painter.fillRect(label, theme.colour("ground", 170))
            painter.setPen(theme.colour("bright"))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, proof.shown)

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Take hold of a frame by its label; anywhere else the picture itself is dragged."""
        for proof, label in self._labels:
            if label.contains(at) and proof in self.proofs.items:
                self._held, self._grip = proof, at - QPointF(proof.x, proof.y) * self.canvas.scale
                return True
        return False

    def drag(self, at: QPointF, picture: QRectF) -> bool:
        """Move the frame that is held."""
        if self._held is None:
            return False
        centre = (at - self._grip) / self.canvas.scale
        moved = replace(self._held, x=centre.x(), y=centre.y())
        before, self._held = self._held, moved
        self.proofs.put(before, moved)
        self._held = next((p for p in self.proofs.items if p.name == moved.name), None)
        return True

    def release(self, at: QPointF, picture: QRectF) -> None:
        """Let the frame go."""
        self._held = None
