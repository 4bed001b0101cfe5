"""The card of a step in the line of the route, and the line between two of them."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QPushButton, QWidget

from dustpan.core.document.route import Step
from dustpan.core.steps import kind_of
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

CARD = QSize(152, 46)  # of a card whose name and figure are short
_WIDEST = 212  # px
_WIDER = 12  # px, steps of the width of cards that do not fit, so that it hardly moves with a figure
_FAR = 12  # px the pointer moves before a card is dragged
_DOT = 20  # px at the card's left that switch the step


class Card(QPushButton):
    """One step: a dot that switches it, its name, a figure, a sign for Where or Mix. Small, it shows its name alone."""

    chosen = pyqtSignal(str)
    switched = pyqtSignal(str)
    asked = pyqtSignal(str, object)  # a menu is wanted at a global position
    dragged = pyqtSignal(str, object, bool)  # to a global position, and whether it was let go there
    named = pyqtSignal(str)  # a name is wanted

    def __init__(self, step: Step, parent: QWidget | None = None):
        super().__init__(parent)
        self.step = step
        self.figure = ""
        self.picked = False
        self.small: QPixmap | None = None  # its Where in small
        self._pressed: QPoint | None = None
        self._dragging = False
        self._figured = True
        self.setFixedSize(CARD)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_step(self, step: Step, figure: str, picked: bool) -> None:
        """Show a step as it stands."""
        self.step, self.figure, self.picked = step, figure, picked
        state = tr("on") if step.on else tr("off")
        words = "Step {step}, {state}, chosen" if picked else "Step {step}, {state}"
        self.setAccessibleName(tr(words, step=tr(step.title), state=state))
        self.setAccessibleDescription(figure)
        self.setToolTip(
            tr(
                "{help}\nClick to see its controls; the dot turns it on or off; drag it to another place;"
                " double-click names it; Delete removes it.",
                help=tr(kind_of(step.kind).help),
            )
        )
        self.update()

    def width_of(self, *, figure: bool) -> int:
        """Return the width that its name takes, and its figure too if that is shown."""
        name = theme.metrics(10, bold=True).horizontalAdvance(tr(self.step.title)) + self._room_of_sign + 4
        words = theme.metrics(8).horizontalAdvance(self._words) + 10 if figure else 0
        return min(_WIDEST, -(-(26 + max(name, words)) // _WIDER) * _WIDER)

    def fit(self, width: int, *, figure: bool) -> None:
        """Take a width, and show the figure or the name alone."""
        self._figured = figure
        self.setFixedWidth(width)
        self.update()

    @property
    def _words(self) -> str:
        return self.figure if self.step.on else tr("off")

    @property
    def _room_of_sign(self) -> int:
        """Width beside the name, of the sign that the step does not work everywhere in full."""
        return 38 if self.small is not None else 20 if self._partly else 6

    @property
    def _partly(self) -> bool:
        return not (self.step.where.everywhere and self.step.mix >= 1)

    def paintEvent(self, event):
        """Draw the card."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        edge = theme.VERDIGRIS if self.picked else "faint" if self.hasFocus() else "raised"
        painter.setPen(QPen(theme.colour(edge), 1.3))
        painter.setBrush(theme.colour("#2C4A44" if self.picked else "raised"))
        painter.drawRoundedRect(frame, 7, 7)
        self._paint_dot(painter)
        painter.setPen(theme.colour(("bright" if self.picked else "text") if self.step.on else "faint"))
        painter.setFont(theme.font(10, bold=self.picked))
        room = QRectF(26, 5, self.width() - 26 - self._room_of_sign, 19)
        name = painter.fontMetrics().elidedText(tr(self.step.title), Qt.TextElideMode.ElideRight, int(room.width()) + 1)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        if self._figured:
            painter.setPen(theme.colour(theme.VERDIGRIS if self.step.on else "faint"))
            painter.setFont(theme.font(8))
            painter.drawText(QRectF(26, 24, self.width() - 34, 16), Qt.AlignmentFlag.AlignVCenter, self._words)
        self._paint_sign(painter)

    def _paint_dot(self, painter: QPainter) -> None:
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS if self.step.on else "faint"), 1.4))
        painter.setBrush(theme.colour(theme.VERDIGRIS) if self.step.on else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QRectF(11, 11, 8, 8))

    def _paint_sign(self, painter: QPainter) -> None:
        """Draw the Where in small, or a small hatched square when the step does not work everywhere in full."""
        if not self._partly:
            return
        if self.small is not None and not self.step.where.everywhere:
            frame = QRect(self.width() - 35, 4, 28, 19)
            painter.drawPixmap(frame, self.small)
            painter.setPen(QPen(theme.colour("faint"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(frame)
            return
        box = QRectF(self.width() - 22, 9, 11, 11)
        painter.setPen(QPen(theme.colour("text"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.drawLine(box.bottomLeft(), box.topRight())

    def mousePressEvent(self, event):
        """Choose the step; on the dot, switch it."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position().toPoint()
            (self.switched if self._on_dot(event) else self.chosen).emit(self.step.id)

    def _on_dot(self, event) -> bool:
        return event.position().x() < _DOT + 4

    def mouseMoveEvent(self, event):
        """Drag the card to another place."""
        if self._pressed is None:
            return
        if (event.position().toPoint() - self._pressed).manhattanLength() > _FAR:
            self._dragging = True
        if self._dragging:
            self.dragged.emit(self.step.id, event.globalPosition().toPoint(), False)

    def mouseReleaseEvent(self, event):
        """Let the card go where it is."""
        if self._dragging:
            self.dragged.emit(self.step.id, event.globalPosition().toPoint(), True)
        self._pressed, self._dragging = None, False

    def mouseDoubleClickEvent(self, event):
        """Ask for a name; on the dot, the second of two quick clicks switches the step again."""
        if self._on_dot(event):
            self.switched.emit(self.step.id)
        else:
            self.named.emit(self.step.id)

    def contextMenuEvent(self, event):
        """Ask for the step's menu."""
        self.asked.emit(self.step.id, event.globalPos())

    def keyPressEvent(self, event):
        """Choose by Enter or Space; all else is the window's."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.step.id)
        else:
            event.ignore()


class Connector(QWidget):
    """The ground of the cards, with the line that the picture passes along."""

    def paintEvent(self, event):
        """Draw the line behind the cards."""
        shown = [box for box in self.children() if isinstance(box, QWidget) and box.isVisible()]
        if len(shown) > 1:
            painter = QPainter(self)
            painter.setPen(QPen(theme.colour("line"), 2))
            y = shown[0].y() + 17 + CARD.height() // 2
            painter.drawLine(shown[0].x() + 20, y, max(box.x() for box in shown), y)
