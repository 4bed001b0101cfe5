"""Proofs: pinned spots at actual pixels, before and after, live while a slider moves; the strip shows them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from PyQt6.QtCore import QObject, QRect, QSize, pyqtSignal
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.judge.harms.harm import Pair
from dustpan.core.judge.noise_left import patch_noise
from dustpan.core.judge.report import measure_figure, plan_reference
from dustpan.core.judge.spots import PATCH, Spot, choose_proofs
from dustpan.core.picture.region import Region, Size, cut_region, region_around
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import ALIGN
from dustpan.core.render.plan import Plan
from dustpan.core.steps.finding import percent
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.picture.canvas import Canvas
from dustpan.ui.picture.compare import Compare
from dustpan.ui.picture.screen import Appearance, Screen
from dustpan.ui.translation import tr

MOST = 8
#: Of proofs whose figures need more of the picture than is shown: name of the figure, its word, words without it.
_FIGURES = {"Edge": ("halo", "halo", "no sharp edge"), "Texture": ("texture_kept", "kept", "no texture")}


@dataclass(frozen=True)
class Proof:
    """A pinned spot: its name, its centre in the picture's pixels, and its zoom (1 or 2)."""

    name: str
    x: float
    y: float
    zoom: int = 1

    @property
    def shown(self) -> str:
        """Its name in the language of the window."""
        kind, _, number = self.name.partition(" ")
        return tr("Place {number}", number=number) if kind == "Place" and number else tr(self.name)


@dataclass(frozen=True, eq=False)
class Judged:
    """The pixels that a proof's figure is taken from: in the route's light and after it."""

    region: Region
    pair: Pair


@dataclass(frozen=True, eq=False)
class Shot:
    """A proof as rendered: both images, what its figure is taken from, and the figure."""

    before: QImage
    after: QImage
    judged: Judged
    figure: str = ""


@dataclass(frozen=True, eq=False)
class Order:
    """What every proof of one rendering shares."""

    engine: Engine
    plan: Plan
    other: Document
    appearance: Appearance
    screen: Screen
    half: QSize
    token: Token


class Proofs(QObject):
    """Hold the proofs and keep them rendered; where they are is view state."""

    changed = pyqtSignal()
    chosen = pyqtSignal()  # spots were chosen and are being rendered
    complete = pyqtSignal()  # every proof shows the newest plan

    def __init__(self, canvas: Canvas, compare: Compare, parent: QObject | None = None):
        super().__init__(parent)
        self.canvas, self.compare, self.session = canvas, compare, compare.session
        self.items: list[Proof] = []
        self.shots: dict[Proof, Shot] = {}
        self.half = QSize(80, 104)  # px of the screen, one side of a proof
        self._token = Token()
        self._choosing = Token()
        self.session.opened.connect(self.choose_again)
        self.session.planned.connect(self.render)
        compare.changed.connect(self.render)

    def restore(self, items: list[Proof]) -> None:
        """Pin the spots that were pinned before, instead of choosing some."""
        self._choosing.cancel()
        self.items = items
        self.changed.emit()
        self.render()
        self.chosen.emit()

    def choose_again(self) -> None:
        """Choose five spots from the picture."""
        engine = self.session.engine
        self.items, self.shots = [], {}
        self._token.cancel()
        self._choosing.cancel()
        self.changed.emit()
        if engine is None:
            return
        self._choosing = token = Token()

        def then(spots: list[Spot]) -> None:
            self.items = [Proof(spot.name, spot.x, spot.y) for spot in spots]
            self.changed.emit()
            self.render()
            self.chosen.emit()

        document = self.session.document

        def choose() -> list[Spot]:
            plan = engine.plan(document, check=token.check)
            _ = plan.noise  # measured here, with all threads, as every proof's figure needs it
            return choose_proofs(plan.base)

        self.session.jobs.run(choose, then, priority=Priority.VIEW_DRAFT, token=token)

    def stop(self) -> None:
        """Drop all work under way."""
        self._token.cancel()
        self._choosing.cancel()

    def resize(self, half: QSize) -> None:
        """Show another size of each side."""
        if half != self.half and half.width() > 8 and half.height() > 8:
            self.half = half
            self.render()

    def add(self, x: float, y: float) -> bool:
        """Pin another place; returns whether there was room for it."""
        if len(self.items) >= MOST:
            return False
        used = {proof.name for proof in self.items}
        number = next(n for n in range(1, MOST + 2) if f"Place {n}" not in used)
        self.items = [*self.items, Proof(f"Place {number}", x, y)]
        self.changed.emit()
        self.render()
        return True

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
        x0, y0, x1, y1 = shown_region(proof, self.half, self.canvas.size_px)
        return QRect(x0, y0, x1 - x0, y1 - y0)

    def render(self) -> None:
        """Render every proof for the newest plan, before the rest of the picture."""
        engine, plan = self.session.engine, self.session.plan
        if engine is None or plan is None:
            return
        self._token.cancel()
        self._token = token = Token()
        screen = self.canvas.tiles.screen
        order = Order(engine, plan, self.compare.other, self.compare.now.appearance, screen, self.half, token)
        waiting = set(self.items)

        def take(proof: Proof, shot: Shot) -> None:
            self.shots[proof] = replace(shot, figure=self.shots[proof].figure if proof in self.shots else "")
            waiting.discard(proof)
            self.changed.emit()
            if not waiting:
                self.shots = {proof: self.shots[proof] for proof in self.items if proof in self.shots}
                self.complete.emit()
                self._take_figures(order)

        for proof in sorted(self.items, key=lambda p: p.name in _FIGURES, reverse=True):  # the larger ones first
            self.session.jobs.run(
                partial(_shoot, order, proof), partial(take, proof), priority=self._priority, token=token
            )

    @property
    def _priority(self) -> Priority:
        """The proofs come first while a slider moves; while a Where is drawn, what is under the hand does."""
        drawing = self.session.dragging and self.canvas.parts.open
        return Priority.VIEW if drawing else Priority.VIEW_DRAFT

    def _take_figures(self, order: Order) -> None:
        """Work out the figures behind the pictures, which are looked at first."""

        def take(proof: Proof, figure: str) -> None:
            if proof in self.shots:
                self.shots[proof] = replace(self.shots[proof], figure=figure)
                self.changed.emit()

        for proof in self.items:
            if proof in self.shots:
                self.session.jobs.run(
                    partial(_figure, order, proof, self.shots[proof].judged),
                    partial(take, proof),
                    priority=self._priority,
                    token=order.token,
                )


def shown_region(proof: Proof, half: QSize, size: Size) -> Region:
    """Return the region of a picture of `size` that a proof shows."""
    width, height = -(-half.width() // proof.zoom), -(-half.height() // proof.zoom)
    return region_around(proof.x, proof.y, (width, height), within=size, step=ALIGN)


def _shoot(order: Order, proof: Proof) -> Shot:
    engine, plan, check = order.engine, order.plan, order.token.check
    other, reference = engine.plan(order.other, check=check), plan_reference(engine, plan, check=check)
    size = plan.base.size
    shown = shown_region(proof, order.half, size)
    judged = shown
    if proof.name in _FIGURES:
        judged = region_around(proof.x, proof.y, (PATCH, PATCH), within=size, step=ALIGN)
    # One region holds both what is shown and what is judged.
    wide = (min(shown[0], judged[0]), min(shown[1], judged[1]), max(shown[2], judged[2]), max(shown[3], judged[3]))
    before, after = (engine.sketch(side, wide, check=check) for side in (other, plan))
    lit = before if reference.key == other.key else engine.sketch(reference, wide, check=check)
    images = [order.screen.show(cut_region(pixels, wide, shown), order.appearance) for pixels in (before, after)]
    pair = cut_region(lit, wide, judged), cut_region(after, wide, judged)
    return Shot(images[0], images[1], Judged(judged, pair))


def _figure(order: Order, proof: Proof, judged: Judged) -> str:
    """Return the one figure of a proof."""
    reference = plan_reference(order.engine, order.plan, check=order.token.check)
    if proof.name in _FIGURES:
        name, word, none = _FIGURES[proof.name]
        figure = measure_figure(order.engine, reference, judged.region, judged.pair, name)
        return tr(none) if figure is None else f"{tr(word)} {percent(figure)}"
    before, after = patch_noise(reference, order.plan, judged.pair, judged.region)
    return tr("noise {before:.1f} → {after:.1f}", before=before, after=after)
