"""Proofs: pinned places at actual pixels, before and after in one tile, live while a slider moves."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from PyQt6.QtCore import QEvent, QObject, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from dustpan.core.engine import Engine, Plan
from dustpan.core.filters.colour import tone_of
from dustpan.core.judge import luminance_noise, proof_places, read_pair, region_around
from dustpan.core.measure.harm import Pair, edge_profiles, figures_of, halo_of, measure_parts, slope_gain
from dustpan.core.pool import Priority, Token
from dustpan.ui import theme
from dustpan.ui.canvas import Canvas
from dustpan.ui.compare import Compare
from dustpan.ui.icons import icon
from dustpan.ui.screen import Look, Screen

MOST = 8
_HALF = QSize(80, 104)  # px of the screen, one side of a proof
_HEAD = 19  # px, the line of words above it
_JUDGED = 160  # px, least side of the region whose edges and texture are judged


@dataclass(frozen=True)
class Proof:
    """A pinned place: its name, what its figure tells, its middle in the picture's pixels, and how close it is."""

    name: str
    x: float
    y: float
    zoom: int = 1


@dataclass(frozen=True, eq=False)
class Shot:
    """A proof as rendered: both images and the figure."""

    before: QImage
    after: QImage
    figure: str


class Proofs(QObject):
    """Hold the proofs and keep them rendered; their places are view state."""

    changed = pyqtSignal()
    placed = pyqtSignal()  # places were chosen and asked for
    complete = pyqtSignal()  # every proof shows the newest plan

    def __init__(self, canvas: Canvas, compare: Compare, parent: QObject | None = None):
        super().__init__(parent)
        self.canvas, self.compare, self.session = canvas, compare, compare.session
        self.items: list[Proof] = []
        self.shots: dict[Proof, Shot] = {}
        self.pairs: dict[Proof, Pair] = {}
        self._token = Token()
        self._choosing = Token()
        self.session.opened.connect(self.choose_again)
        self.session.planned.connect(self.render)
        compare.changed.connect(self.render)

    def choose_again(self) -> None:
        """Choose five places from the picture."""
        engine = self.session.engine
        self.items, self.shots, self.pairs = [], {}, {}
        self._token.cancel()
        self._choosing.cancel()
        self.changed.emit()
        if engine is None:
            return
        self._choosing = token = Token()

        def then(places) -> None:
            self.items = [Proof(place.name, place.x, place.y) for place in places]
            self.changed.emit()
            self.render()
            self.placed.emit()

        document = self.session.document

        def choose():
            plan = engine.plan(document, check=token.check)
            _ = plan.base.noise  # measured here, with all threads, as every proof's figure needs it
            return proof_places(plan)

        self.session.jobs.run(
            choose, then,
            priority=Priority.VIEW_DRAFT, token=token,
        )  # fmt: skip

    def stop(self) -> None:
        """Drop all work under way."""
        self._token.cancel()
        self._choosing.cancel()

    def add(self, x: float, y: float) -> None:
        """Pin another place; the oldest of those past the most makes room."""
        used = {proof.name for proof in self.items}
        number = next(n for n in range(1, MOST + 2) if f"Place {n}" not in used)
        self.items = [*self.items, Proof(f"Place {number}", x, y)][-MOST:]
        self.changed.emit()
        self.render()

    def put(self, old: Proof, new: Proof) -> None:
        """Replace a proof by itself at another place or zoom."""
        width, height = self.canvas.size_px
        new = replace(new, x=min(max(new.x, 0), width), y=min(max(new.y, 0), height))
        self.items = [new if proof is old else proof for proof in self.items]
        if old in self.shots:  # shown until the new one is there
            self.shots[new] = self.shots[old]
        self.changed.emit()
        self.render()

    def remove(self, proof: Proof) -> None:
        """Unpin a place."""
        self.items = [kept for kept in self.items if kept is not proof]
        self.changed.emit()

    def region(self, proof: Proof) -> QRect:
        """Return the part of the picture that a proof shows."""
        width, height = self.canvas.size_px
        x0, y0, x1, y1 = _shown(proof, (width, height))
        return QRect(x0, y0, x1 - x0, y1 - y0)

    def render(self) -> None:
        """Render every proof for the newest plan, before the rest of the picture."""
        engine, plan = self.session.engine, self.session.plan
        if engine is None or plan is None:
            return
        self._token.cancel()
        self._token = token = Token()
        other, look, screen = self.compare.other, self.compare.now.look, self.canvas.tiles.screen
        waiting = set(self.items)
        for proof in sorted(self.items, key=_judged, reverse=True):  # the larger ones first, so that all end together

            def then(found, proof=proof) -> None:
                images, self.pairs[proof] = found
                self.shots[proof] = Shot(*images, self.shots[proof].figure if proof in self.shots else "")
                waiting.discard(proof)
                self.changed.emit()
                if not waiting:
                    self.complete.emit()
                    self._take_figures(plan, token)

            self.session.jobs.run(
                lambda proof=proof: _shoot(engine, engine.plan(other, check=token.check), plan, proof, look, screen, token),
                then, priority=Priority.VIEW_DRAFT, token=token,
            )  # fmt: skip

    def _take_figures(self, plan: Plan, token: Token) -> None:
        """Work out the figures behind the pictures, which are looked at first."""
        for proof in self.items:
            if proof not in self.pairs:
                continue

            def then(figure: str, proof=proof) -> None:
                self.shots[proof] = replace(self.shots[proof], figure=figure)
                self.changed.emit()

            self.session.jobs.run(
                partial(_figure, plan, proof, self.pairs[proof]), then, priority=Priority.VIEW_DRAFT, token=token
            )


def _shown(proof: Proof, size: tuple[int, int]) -> tuple[int, int, int, int]:
    width, height = -(-_HALF.width() // proof.zoom), -(-_HALF.height() // proof.zoom)
    return region_around(proof.x, proof.y, width, height, size)


def _shoot(engine: Engine, before: Plan, after: Plan, proof: Proof, look: Look, screen: Screen, token: Token):
    size = after.base.size
    shown = _shown(proof, size)
    region = region_around(proof.x, proof.y, _JUDGED, _JUDGED, size) if _judged(proof) else shown
    # One region holds both what is shown and what is judged.
    wide = (min(shown[0], region[0]), min(shown[1], region[1]), max(shown[2], region[2]), max(shown[3], region[3]))
    pair = read_pair(engine, before, after, wide, check=token.check)
    left, top = shown[0] - wide[0], shown[1] - wide[1]
    cut = (slice(top, top + shown[3] - shown[1]), slice(left, left + shown[2] - shown[0]))
    return [screen.show(pixels[cut], look) for pixels in pair], pair


def _judged(proof: Proof) -> bool:
    """Whether the figure of a proof needs more of the picture than is shown."""
    return proof.name in ("Edge", "Texture")


def _figure(plan: Plan, proof: Proof, pair: Pair) -> str:
    """Return the one figure of a proof."""
    if proof.name == "Edge":
        profiles = edge_profiles(*pair)
        return "" if profiles is None else f"halo {halo_of([profiles]):.0%}".replace("%", " %")
    if proof.name == "Texture":
        noise = plan.base.noise
        gain = slope_gain(noise.spectrum[0, 0])
        kept = figures_of([measure_parts(pair, sigma=lambda tone: noise.at(tone)[0], gain=gain)]).texture_kept
        return "" if kept is None else f"kept {kept:.0%}".replace("%", " %")
    tone = tone_of(pair[0]).mean()
    before = float(plan.base.noise.at(tone[None, None])[0, 0, 0]) * 255
    return f"noise {before:.1f} → {float(luminance_noise(plan.noise_after(), tone[None])[0]):.1f}"


class ProofTile(QWidget):
    """One proof: drag its content to move it, click to go there."""

    def __init__(self, proofs: Proofs, number: int):
        super().__init__()
        self.proofs, self.number = proofs, number
        self._pressed: QPointF | None = None
        self._start: Proof | None = None
        self.setFixedSize(2 * _HALF.width() + 3, _HALF.height() + _HEAD)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(
            "Before and after at actual pixels. Drag to move the place, click to go there, double-click for 200 %, Del to remove."
        )

    @property
    def proof(self) -> Proof | None:
        """The proof shown, or None while there is none."""
        return self.proofs.items[self.number] if self.number < len(self.proofs.items) else None

    def paintEvent(self, event):
        """Draw words and both halves."""
        proof = self.proof
        if proof is None:
            return
        painter = QPainter(self)
        shot = self.proofs.shots.get(proof)
        words = QRect(1, 0, self.width() - 2, _HEAD)
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("bright" if self.hasFocus() else "text"))
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, proof.name + ("  200 %" if proof.zoom == 2 else ""))
        painter.setPen(theme.colour("faint"))
        if shot:
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shot.figure)
        for n in (0, 1):
            place = QRect(n * (_HALF.width() + 3), _HEAD, _HALF.width(), _HALF.height())
            painter.fillRect(place, theme.colour("ground"))
            if shot:
                image = shot.before if n == 0 else shot.after
                painter.setClipRect(place)
                painter.drawImage(QRect(place.topLeft(), image.size() * proof.zoom), image)
                painter.setClipping(False)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour(theme.VERDIGRIS), 1))
            painter.drawRect(0, _HEAD, self.width() - 1, _HALF.height() - 1)

    def mousePressEvent(self, event):
        """Take hold of the content."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._start = event.position(), self.proof

    def mouseMoveEvent(self, event):
        """Move the place by what the content is dragged."""
        proof = self.proof
        if self._pressed is None or self._start is None or proof is None:
            return
        moved = event.position() - self._pressed
        if moved.manhattanLength() > 4 or proof is not self._start:
            place = {"x": self._start.x - moved.x() / proof.zoom, "y": self._start.y - moved.y() / proof.zoom}
            self.proofs.put(proof, replace(proof, **place))

    def mouseReleaseEvent(self, event):
        """Go to the place when it was a click."""
        if self._pressed is not None and self.proof is self._start:
            self.go()
        self._pressed = self._start = None

    def mouseDoubleClickEvent(self, event):
        """Change between 100 % and 200 %."""
        self.closer()

    def go(self) -> None:
        """Take the picture to this place."""
        if proof := self.proof:
            self.proofs.canvas.show_place(proof.x, proof.y)

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
        menu.addAction("Go there", self.go)
        menu.addAction("100 %" if proof.zoom == 2 else "200 %", self.closer)
        menu.addAction("Remove", lambda: self.proofs.remove(proof))
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
            super().keyPressEvent(event)


class ProofStrip(QWidget):
    """The row of proofs along the bottom, and their frames on the picture."""

    def __init__(self, proofs: Proofs, parent: QWidget | None = None):
        super().__init__(parent)
        self.proofs, self.canvas = proofs, proofs.canvas
        self._held: Proof | None = None
        self._grip = QPointF()
        self._framed: list[Proof] = []
        self.frames_shown = True
        self.tiles = [ProofTile(proofs, number) for number in range(MOST)]
        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        for tile in self.tiles:
            row.addWidget(tile)
        row.addStretch()
        scroll = QScrollArea(widgetResizable=True, verticalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(body)
        scroll.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        scroll.setFixedHeight(_HALF.height() + _HEAD + 9)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addSpacing(_HEAD)
        self.add_button = self._button("plus", "Pin the place in the middle of the picture (Shift+P)", self.add_middle)
        self.again_button = self._button("rotate", "Choose the five places again from the picture", proofs.choose_again)
        for button in (self.add_button, self.again_button):
            side.addWidget(button)
        side.addStretch()
        whole = QHBoxLayout(self)
        whole.setContentsMargins(10, 4, 4, 0)
        whole.setSpacing(6)
        whole.addWidget(scroll, 1)
        whole.addLayout(side)
        proofs.changed.connect(self.refresh)
        self.canvas.overlays.append(self.paint_frames)
        self.canvas.grips.append(self)
        self.refresh()

    def _button(self, name: str, tip: str, run) -> QPushButton:
        button = QPushButton(icon(name, theme.GREYS.text), "")
        button.setFixedSize(28, 28)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda: run())
        return button

    def add_middle(self) -> None:
        """Pin the place in the middle of what is shown."""
        middle = self.canvas.tiles.view.region.center()
        self.proofs.add(middle.x(), middle.y())

    def show_frames(self, on: bool) -> None:
        """Show or hide the frames on the picture."""
        self.frames_shown = on
        self.canvas.update()

    def refresh(self) -> None:
        """Show the proofs as they are."""
        for tile in self.tiles:
            tile.setVisible(tile.proof is not None)
            tile.update()
        if self._framed != self.proofs.items:  # frames move, or come and go: only then is the picture drawn anew
            self._framed = list(self.proofs.items)
            self.canvas.update()
        ready = self.proofs.session.engine is not None
        self.add_button.setEnabled(ready)
        self.again_button.setEnabled(ready)

    # -- frames on the picture --------------------------------------------------------------------------------

    def _frame(self, proof: Proof) -> QRectF:
        area = self.proofs.region(proof)
        picture = QRectF(self.canvas.picture_rect())
        zoom = self.canvas.zoom
        return QRectF(
            picture.left() + area.left() * zoom,
            picture.top() + area.top() * zoom,
            area.width() * zoom,
            area.height() * zoom,
        )

    def paint_frames(self, painter: QPainter) -> None:
        """Draw the proofs' frames with their names."""
        if not self.frames_shown or self.canvas.compare.now.mode in ("removed", "inside"):
            return
        painter.setFont(theme.font(8))
        seen = QRectF(self.canvas.picture_rect()).intersected(QRectF(self.canvas.rect()))
        for proof in self.proofs.items:
            frame = self._frame(proof)
            if not frame.intersects(seen):
                continue
            for pen in (QPen(theme.colour("ground", 150), 3), QPen(theme.colour("bright", 190), 1)):
                painter.setPen(pen)
                painter.drawRect(frame)
            label = QRectF(
                0, 0, painter.fontMetrics().horizontalAdvance(proof.name) + 8, painter.fontMetrics().height()
            )
            above, beside = frame.top() - label.height() - 2, frame.left() - label.width() - 3
            if above >= seen.top():
                label.moveTo(max(min(frame.left() - 1, seen.right() - label.width()), seen.left()), above)
            else:
                label.moveTo(beside if beside >= seen.left() else frame.right() + 3, frame.top())
            painter.fillRect(label, theme.colour("ground", 170))
            painter.setPen(theme.colour("bright"))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, proof.name)

    def press(self, at: QPointF, picture: QRectF) -> bool:
        """Take hold of a frame by its rim."""
        if not self.frames_shown:
            return False
        for proof in self.proofs.items:
            frame = self._frame(proof)
            if frame.adjusted(-5, -16, 5, 5).contains(at) and not frame.adjusted(5, 5, -5, -5).contains(at):
                self._held, self._grip = proof, at - QPointF(proof.x, proof.y) * self.canvas.zoom
                return True
        return False

    def move(self, at: QPointF, picture: QRectF) -> bool:
        """Move the frame that is held."""
        if self._held is None:
            return False
        place = (at - self._grip) / self.canvas.zoom
        moved = replace(self._held, x=place.x(), y=place.y())
        held, self._held = self._held, moved
        self.proofs.put(held, moved)
        self._held = next((p for p in self.proofs.items if p.name == moved.name), None)
        return True

    def release(self, at: QPointF, picture: QRectF) -> None:
        """Let the frame go."""
        self._held = None
