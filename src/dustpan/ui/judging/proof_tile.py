"""One proof in the strip: a spot before and after, and what is said of it."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPointF, QRect, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QMenu, QPushButton

from dustpan.ui.judging.proofs import Proof, Proofs
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme
from dustpan.ui.widgets.configured import configured

HEAD = 19  # px, the line of words above them
SEAM = 3  # px between before and after
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
        return QSize((self.width() - SEAM) // 2, self.height() - HEAD)

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
        words = QRect(1, 0, self.width() - 2, HEAD)
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("bright" if self.hasFocus() else "text"))
        name = proof.shown + ("  200 %" if proof.zoom == 2 else "")
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(theme.colour("faint"))
        if shot:
            figure = self._fitting(shot.figure, words.width() - painter.fontMetrics().horizontalAdvance(name) - 6)
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, figure)
        for n in (0, 1):
            place = QRect(n * (half.width() + SEAM), HEAD, half.width(), half.height())
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
            painter.drawRect(0, HEAD, self.width() - 1, half.height() - 1)

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
