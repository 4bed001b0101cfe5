"""The strip of proofs along the bottom, and their frames on the picture."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from dustpan.ui.judging.proofs import MOST, Proof, Proofs
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured
from dustpan.ui.widgets.edge import Edge
from dustpan.ui.widgets.icons import icon

LOWEST, HIGHEST = 96, 320  # px, height of the pictures
_HEAD = 19  # px, the line of words above them
_GAP = 8
_SEAM = 3  # px between before and after
_AT_ONCE = 5  # proofs that fill the width; more of them scroll
_LEAST = 130  # px, width of a proof
_HOLD = 280  # ms a press lasts before the proof is shown large
_FAR = 4  # px that a press moves before it is a drag


class ProofTile(QPushButton):
    """One proof: drag its content to move it, click to go there, press and hold to see it large."""

    full = pyqtSignal(object)  # a proof to show large, or None when it is let go
    gone = pyqtSignal()  # to its place

    def __init__(self, proofs: Proofs, number: int):
        super().__init__()
        self.proofs, self.number = proofs, number
        self._pressed: QPointF | None = None
        self._start: Proof | None = None
        self._large = False
        self._hold = configured(QTimer(self), singleShot=True, interval=_HOLD)
        self._hold.timeout.connect(self._show_large)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(
            tr(
                "Before and after at actual pixels. Press and hold to see it large, click to take the picture there,"
                " drag to move the place, double-click for 200 %, Del to remove it."
            )
        )

    @property
    def proof(self) -> Proof | None:
        """The proof shown, or None while there is none."""
        return self.proofs.items[self.number] if self.number < len(self.proofs.items) else None

    @property
    def half(self) -> QSize:
        """Width and height of one side, px of the widget."""
        return QSize((self.width() - _SEAM) // 2, self.height() - _HEAD)

    def refresh(self) -> None:
        """Show the proof as it stands, for eyes and for screen readers."""
        proof = self.proof
        self.setVisible(proof is not None)
        if proof is not None:
            shot = self.proofs.shots.get(proof)
            self.setAccessibleName(tr("Proof {name}, {zoom} %", name=proof.shown, zoom=100 * proof.zoom))
            self.setAccessibleDescription(shot.figure if shot else "")
        self.update()

    def paintEvent(self, event):
        """Draw words and both halves."""
        proof = self.proof
        if proof is None:
            return
        painter = QPainter(self)
        shot, half, ratio = self.proofs.shots.get(proof), self.half, self.devicePixelRatioF()
        words = QRect(1, 0, self.width() - 2, _HEAD)
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("bright" if self.hasFocus() else "text"))
        name = proof.shown + ("  200 %" if proof.zoom == 2 else "")
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(theme.colour("faint"))
        if shot:
            figure = self._fitting(shot.figure, words.width() - painter.fontMetrics().horizontalAdvance(name) - 6)
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, figure)
        for n in (0, 1):
            place = QRect(n * (half.width() + _SEAM), _HEAD, half.width(), half.height())
            painter.fillRect(place, theme.colour("ground"))
            if shot:
                image = shot.before if n == 0 else shot.after
                painter.save()
                painter.setClipRect(place)
                painter.scale(1 / ratio, 1 / ratio)  # from here on in pixels of the screen
                corner = (QPointF(place.topLeft()) * ratio).toPoint()
                painter.drawImage(QRect(corner, image.size() * proof.zoom), image)
                painter.restore()
        if self.hasFocus():
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1))
            painter.drawRect(0, _HEAD, self.width() - 1, half.height() - 1)

    def _fitting(self, figure: str, room: int) -> str:
        """Return a figure, without its word where there is no room for it, or nothing where there is none at all."""
        measures = theme.metrics(8.5)
        short = figure.partition(" ")[2]
        return next((text for text in (figure, short) if measures.horizontalAdvance(text) <= room), "")

    def mousePressEvent(self, event):
        """Take hold of the content; held without moving, it is shown large."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._start = event.position(), self.proof
            self._hold.start()

    def _show_large(self) -> None:
        if self._pressed is not None and self.proof is self._start:
            self._large = True
            self.full.emit(self.proof)

    def mouseMoveEvent(self, event):
        """Move the place by what the content is dragged."""
        proof = self.proof
        if self._pressed is None or self._start is None or proof is None or self._large:
            return
        moved = event.position() - self._pressed
        if moved.manhattanLength() > _FAR or proof is not self._start:
            self._hold.stop()
            by = moved * (self.devicePixelRatioF() / proof.zoom)
            moved_to = {"x": self._start.x - by.x(), "y": self._start.y - by.y()}
            self.proofs.put(proof, replace(proof, **moved_to))

    def mouseReleaseEvent(self, event):
        """Go to the place when it was a click; end the large view."""
        self._hold.stop()
        if self._large:
            self._large = False
            self.full.emit(None)
        elif self._pressed is not None and self.proof is self._start:
            self.go()
        self._pressed = self._start = None

    def mouseDoubleClickEvent(self, event):
        """Change between 100 % and 200 %."""
        self.closer()

    def go(self) -> None:
        """Take the picture to this place."""
        if proof := self.proof:
            self.proofs.canvas.show_point(proof.x, proof.y)
            self.gone.emit()

    def closer(self) -> None:
        """Change between 100 % and 200 %."""
        if proof := self.proof:
            self.proofs.put(proof, replace(proof, zoom=3 - proof.zoom))

    def contextMenuEvent(self, event):
        """Offer what can be done with a proof."""
        proof = self.proof
        if proof is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(tr("Go there"), self.go)
        menu.addAction("100 %" if proof.zoom == 2 else "200 %", self.closer)
        menu.addAction(tr("Remove"), lambda: self.proofs.remove(proof))
        menu.popup(event.globalPos())

    def event(self, event):
        """Keep the Del key from the window's own use of it."""
        if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Delete:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event):
        """Enter goes to the place, Del removes it, arrows move it, Z changes the zoom."""
        proof = self.proof
        moves = {Qt.Key.Key_Left: (-8, 0), Qt.Key.Key_Right: (8, 0), Qt.Key.Key_Up: (0, -8), Qt.Key.Key_Down: (0, 8)}
        if proof is None:
            return
        if event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            self.proofs.put(proof, replace(proof, x=proof.x + dx, y=proof.y + dy))
        elif event.key() == Qt.Key.Key_Delete:
            self.proofs.remove(proof)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go()
        elif event.key() == Qt.Key.Key_Z:
            self.closer()
        else:
            event.ignore()


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
        side.addSpacing(_HEAD)
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
            self._scroll.setFixedHeight(height + _HEAD + 9)
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
        half = QSize((width - _SEAM) // 2, self._height)
        for tile in self.tiles:
            tile.setFixedSize(2 * half.width() + _SEAM, half.height() + _HEAD)
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
