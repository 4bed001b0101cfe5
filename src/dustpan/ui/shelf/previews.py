"""What a remedy does to the open picture, at a few of its proofs, before it is taken."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from PyQt6.QtCore import QPointF, QRect, QSize, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.judging.proofs import Proof, Proofs, shown_region
from dustpan.ui.picture.compare import Compare
from dustpan.ui.picture.screen import Appearance, Screen
from dustpan.ui.translation import tr
from dustpan.ui.widgets import theme

_SHOWN = ("Shadow", "Edge", "Texture", "Midtone", "Highlight")  # proofs, the most useful first
_PLACES = 3
_HEAD, _GAP, _SEAM = 20, 10, 1  # px
_LEAST = 90  # px, height of a place


@dataclass(frozen=True, eq=False)
class _Look:
    """How places are rendered."""

    engine: Engine
    screen: Screen
    appearance: Appearance
    half: QSize
    token: Token


class Previews(QWidget):
    """Places of the open picture at actual pixels, as it came and with a remedy."""

    def __init__(self, proofs: Proofs, compare: Compare, parent: QWidget | None = None):
        super().__init__(parent)
        self.proofs, self.compare, self.session = proofs, compare, proofs.session
        self.remedy: Remedy | None = None
        self.images: dict[str, tuple[QImage, QImage]] = {}
        self.said = ""  # where there is nothing to be seen
        self._token = Token()
        self.setMinimumHeight(_PLACES * (_LEAST + _HEAD))
        self.setMinimumWidth(300)
        self.setAccessibleName(tr("The picture with this remedy"))

    @property
    def places(self) -> list[Proof]:
        """The proofs that are shown."""
        order = {name: n for n, name in enumerate(_SHOWN)}
        return sorted(self.proofs.items, key=lambda proof: order.get(proof.name, len(order)))[:_PLACES]

    @property
    def half(self) -> QSize:
        """The size of each side of a place."""
        height = self.height() // _PLACES - _HEAD
        return QSize((self.width() - _SEAM) // 2, max(height, 1))

    def show_remedy(self, remedy: Remedy | None) -> None:
        """Begin to show what a remedy does; None shows nothing."""
        self._token.cancel()
        self._token = token = Token()
        self.remedy, engine = remedy, self.session.engine
        self.images, self.said = {}, ""
        if engine is None:
            self.said = tr("Open a picture to see what a remedy does to it.")
        if remedy is not None and engine is not None:
            ratio = self.devicePixelRatioF()
            half = QSize(round(self.half.width() * ratio), round(self.half.height() * ratio))
            screen = self.proofs.canvas.tiles.screen
            look = _Look(engine, screen, self.compare.now.appearance, half, token)
            self._render(look, remedy)
        self.update()

    def _render(self, look: _Look, remedy: Remedy) -> None:
        session, mosaic = self.session, self.session.of_mosaic
        route = remedy.route_for(look.engine.source.key).fitted(mosaic=mosaic, develop=session.route)
        sides = Document(Route().original(mosaic=mosaic)), replace(remedy.document, route=route)
        if faults := route.mosaic_faults() if mosaic else []:
            self.said = tr("It can't be used here: {fault}.", fault=faults[0])
            return
        for place in self.places:
            job = partial(_shoot, look, place, sides)
            then = partial(self._take, place.name)
            session.jobs.run(job, then, priority=Priority.AROUND, token=look.token, failed=self._fail)

    def _take(self, name: str, pair: tuple[QImage, QImage]) -> None:
        self.images[name] = pair
        self.update()

    def _fail(self, fault: DustpanError) -> None:
        self.said = str(fault)
        self.update()

    def stop(self) -> None:
        """Drop the work under way."""
        self._token.cancel()

    def resizeEvent(self, event):
        """Render for the new size."""
        super().resizeEvent(event)
        if self.isVisible():
            self.show_remedy(self.remedy)

    def paintEvent(self, event):
        """Draw each place: its name, before, after."""
        painter = QPainter(self)
        if self.said or self.remedy is None:
            painter.setPen(theme.colour("faint"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.said)
            return
        for number, place in enumerate(self.places):
            self._draw(painter, place, number * (self.half.height() + _HEAD))

    def _draw(self, painter: QPainter, place: Proof, top: int) -> None:
        half, ratio = self.half, self.devicePixelRatioF()
        painter.setFont(theme.font(8.5))
        for n, word in enumerate((tr("{name}, as it came", name=place.shown), tr("with the remedy"))):
            field = QRect(n * (half.width() + _SEAM), top + _HEAD, half.width(), half.height() - _GAP // 2)
            painter.setPen(theme.colour("faint" if n == 0 else "text"))
            painter.drawText(QRect(field.x(), top, field.width(), _HEAD), Qt.AlignmentFlag.AlignVCenter, word)
            painter.fillRect(field, theme.colour("ground"))
            if place.name not in self.images:
                painter.setPen(theme.colour("faint"))
                painter.drawText(field, Qt.AlignmentFlag.AlignCenter, "…")
                continue
            image = self.images[place.name][n]
            painter.save()
            painter.setClipRect(field)
            painter.scale(1 / ratio, 1 / ratio)  # from here on in pixels of the screen
            corner = (QPointF(field.topLeft()) * ratio).toPoint()
            painter.drawImage(QRect(corner, image.size()), image)
            painter.restore()


def _shoot(look: _Look, place: Proof, documents: tuple[Document, Document]) -> tuple[QImage, QImage]:
    """Return a place of the picture as it came, and with a remedy."""
    engine, check = look.engine, look.token.check
    sides = []
    for document in documents:
        plan = engine.plan(document, check=check)
        region = shown_region(place, look.half, plan.base.size)
        sides.append(look.screen.show(engine.sketch(plan, region, check=check), look.appearance))
    return sides[0], sides[1]
