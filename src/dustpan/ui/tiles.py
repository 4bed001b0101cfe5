"""Tiles of the picture as the screen needs them: drafts at once, exact pixels as they arrive.

Exact pixels come from the engine's blocks: a tile covers one 512 px block of the picture whatever the level. A draft
is a strip of the reduced picture, made for what is looked at and kept nowhere else.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QPoint, QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QColorSpace, QImage, QRegion

from dustpan.core.base import reduce_picture
from dustpan.core.engine import BLOCK, Engine, Plan
from dustpan.core.picture import Region, from_working
from dustpan.core.pool import Priority, Token
from dustpan.core.route import Document
from dustpan.ui.session import Session

REST = 1000  # ms without a change before exact pixels are made for a reduced view
_KEPT = 600  # exact tiles kept
_PIECES = 24  # drafts kept
_GRAIN = 8  # px; drafts start on whole multiples, so that neighbouring ones fit


@dataclass(frozen=True)
class View:
    """What part of the picture is looked at, and at which level."""

    region: QRect  # in pixels of the picture
    level: int


@dataclass(frozen=True)
class Piece:
    """A draft of part of the picture: `area` in the picture's pixels, drawn from an image of a coarser level."""

    level: int
    area: QRect
    image: QImage


def level_for(zoom: float) -> int:
    """Return the level whose pixels are at least as fine as the screen's."""
    level = 0
    while zoom * 2 ** (level + 1) <= 1.0001:
        level += 1
    return level


def screen_profile(block: bytes) -> QColorSpace | None:
    """Return a file's colour space, or None when the screen needs no conversion from it."""
    profile = QColorSpace.fromIccProfile(block) if block else QColorSpace()
    return profile if profile.isValid() and profile != QColorSpace(QColorSpace.NamedColorSpace.SRgb) else None


def to_image(working: np.ndarray, profile: QColorSpace | None) -> QImage:
    """Return working pixels as a screen image: the export's own 8 bits, then the screen's colours."""
    bytes_ = np.ascontiguousarray(from_working(working, dtype=np.uint8))
    height, width = bytes_.shape[:2]
    image = QImage(bytes_.data, width, height, 3 * width, QImage.Format.Format_RGB888)
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    if profile is not None:
        image.setColorSpace(profile)
        image = image.convertedToColorSpace(QColorSpace(QColorSpace.NamedColorSpace.SRgb))
    return image


class Tiles(QObject):
    """Keep the tiles of the original and of the route's result for the view, and ask for what is missing."""

    changed = pyqtSignal()
    state = pyqtSignal(bool, int, int)  # exact, blocks there, blocks wanted

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.view = View(QRect(), 0)
        self.before: dict[tuple[int, int, int], QImage] = {}
        self.drafts: list[Piece] = []
        self.exact: dict[tuple[int, int, int], QImage] = {}
        self._profile: QColorSpace | None = None
        self._plan_key = ""
        self._shown: Document | None = None  # the document that the drafts and exact tiles are of
        self._drafting: Document | None = None
        self._draft_busy = False
        self._again = False
        self._asked: set = set()
        self._exact_token = Token()
        self._token = Token()
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask_exact)
        session.opened.connect(self.start)
        session.edited.connect(self._on_edit)

    def start(self) -> None:
        """Begin with another picture."""
        self.stop()
        self._token = Token()
        self._profile = screen_profile(self.session.engine.source.metadata.profile)
        for kept in (self.before, self.drafts, self.exact, self._asked):
            kept.clear()
        self._plan_key, self._shown, self._draft_busy, self._again = "", None, False, False
        self.request()

    def stop(self) -> None:
        """Drop all work under way."""
        self._token.cancel()
        self._exact_token.cancel()
        self._rest.stop()

    def look(self, view: View) -> None:
        """Look at another part or level; finished pixels are kept."""
        if view != self.view:
            self.view = view
            self.request()

    @property
    def settled(self) -> bool:
        """Whether the newest document is on the screen in exact pixels."""
        newest = self._shown is not None and self._shown is self.session.document
        return newest and not self._draft_busy and not self._missing()

    def _on_edit(self, dragging: bool) -> None:
        self._exact_token.cancel()
        self.state.emit(False, 0, 1)
        self.request()

    def request(self) -> None:
        """Make a draft for the newest document and view; a draft under way ends first, only the newest waits."""
        engine = self.session.engine
        if engine is None or self.view.region.isEmpty():
            return
        self._ask_before(engine)
        if self._draft_busy:
            self._again = True
            return
        self._draft_busy = True
        document, frozen, token = self.session.document, self.session.frozen, self._token
        self.session.jobs.run(
            lambda: engine.plan(document, frozen=frozen, check=token.check),
            lambda plan: self._draft(engine, plan, document, frozen is not None), priority=Priority.VIEW_DRAFT, token=token,
        )  # fmt: skip

    def _draft(self, engine: Engine, plan: Plan, document, dragging: bool) -> None:
        """Ask for drafts of what is looked at, unless the exact tiles of this plan are there."""
        if document is self.session.document:
            self.session.take_plan(plan)
        self._drafting = document
        lacking = self._missing() if plan.key == self._plan_key else _blocks(self.view.region, self.view.level, BLOCK)
        pieces = self._pieces(plan, lacking, dragging)
        if not pieces:
            self._take_drafts(plan, [])
            return
        small, found = plan.at(pieces[0][0]), []

        def one(piece: Piece) -> None:
            found.append(piece)
            if len(found) == len(pieces):
                self._take_drafts(plan, found)

        for level, region in pieces:
            self.session.jobs.run(
                lambda level=level, region=region: self._draft_piece(engine, small, level, region), one,
                priority=Priority.VIEW_DRAFT, token=self._token,
            )  # fmt: skip

    def _pieces(self, plan: Plan, lacking: list, dragging: bool) -> list[tuple[int, Region]]:
        """Return level and region (in that level's pixels) of the strips that cover the blocks that lack."""
        if not lacking:
            return []
        area = QRect()
        for _, column, row in lacking:
            area = area.united(QRect(column * BLOCK, row * BLOCK, BLOCK, BLOCK))
        area = area.intersected(self.view.region)
        level = max(self.view.level + dragging, 1)
        if plan.key == self._plan_key and self._drafted(area, max(self.view.level, 1)):
            return []
        width, height = plan.base.size_at(level)
        grain = _GRAIN << level
        left, top = area.left() // grain * _GRAIN, area.top() // grain * _GRAIN
        right = min(-(-(area.right() + 1) // grain) * _GRAIN, width)
        below = min(-(-(area.bottom() + 1) // grain) * _GRAIN, height)
        strip = max(-(-(below - top) // (self.session.jobs.pool.size * _GRAIN)) * _GRAIN, 64)
        return [(level, (left, y, right, min(y + strip, below))) for y in range(top, below, strip)]

    def _drafted(self, area: QRect, level: int) -> bool:
        """Return whether drafts at least that fine cover an area."""
        covered = QRegion()
        for piece in self.drafts:
            if piece.level <= level:
                covered = covered.united(piece.area)
        return QRegion(area).subtracted(covered).isEmpty()

    def _draft_piece(self, engine: Engine, small: Plan, level: int, region: Region) -> Piece:
        image = to_image(engine.sketch(small, region, check=self._token.check), self._profile)
        x0, y0, x1, y1 = region
        width, height = small.base.size
        return Piece(
            level,
            QRect(QPoint(x0 << level, y0 << level), QPoint(min(x1 << level, width) - 1, min(y1 << level, height) - 1)),
            image,
        )

    def _take_drafts(self, plan: Plan, found: list[Piece]) -> None:
        self._draft_busy = False
        self._shown = self._drafting
        if plan.key != self._plan_key:
            self._plan_key = plan.key
            self.drafts, self.exact = [], {}
        self.drafts = (self.drafts + found)[-_PIECES:]
        self._exact_token.cancel()
        self.changed.emit()
        if self._again:
            self._again = False
            self.request()
            return
        self._tell()
        if self._missing():
            if self.view.level == 0:
                self._ask_exact()
            else:
                self._rest.start()

    def _missing(self) -> list[tuple[int, int, int]]:
        """Return the exact tiles that the view lacks, nearest its middle first."""
        view = self.view
        keys = [k for k in _blocks(view.region, view.level, BLOCK) if k not in self.exact]
        middle = view.region.center()
        return sorted(
            keys, key=lambda k: (k[1] * BLOCK + 256 - middle.x()) ** 2 + (k[2] * BLOCK + 256 - middle.y()) ** 2
        )

    def _ask_exact(self) -> None:
        """Ask for the exact tiles that the view lacks."""
        engine, plan = self.session.engine, self.session.plan
        if engine is None or plan is None or plan.key != self._plan_key:
            return
        self._exact_token = token = Token()
        level = self.view.level
        priority = Priority.VIEW if level == 0 else Priority.AROUND
        if len(self.exact) > _KEPT:
            self.exact.clear()
        for key in self._missing():
            self.session.jobs.run(
                lambda k=key: self._exact_image(engine, plan, k, token.check), lambda image, k=key: self._take_exact(k, image),
                priority=priority, token=token,
            )  # fmt: skip

    def _exact_image(self, engine: Engine, plan: Plan, key, check: Callable[[], None]) -> QImage:
        level, column, row = key
        left, top = column * BLOCK, row * BLOCK
        region = (left, top, min(left + BLOCK, plan.size[0]), min(top + BLOCK, plan.size[1]))
        return to_image(reduce_picture(engine.render(plan, region, check=check), level, check=check), self._profile)

    def _take_exact(self, key, image: QImage) -> None:
        self.exact[key] = image
        self.changed.emit()
        self._tell()

    def _tell(self) -> None:
        wanted = len(_blocks(self.view.region, self.view.level, BLOCK))
        missing = len(self._missing())
        self.state.emit(self.settled, wanted - missing, wanted)

    def _ask_before(self, engine: Engine) -> None:
        """Ask for the original's tiles."""
        level, token = self.view.level, self._token
        for key in _blocks(self.view.region, level, BLOCK << level):
            if key in self.before or key in self._asked:
                continue
            self._asked.add(key)

            def then(image, k=key):
                self.before[k] = image
                self.changed.emit()

            self.session.jobs.run(
                lambda k=key: self._before_image(engine, k), then, priority=Priority.VIEW_DRAFT, token=token
            )

    def _before_image(self, engine: Engine, key) -> QImage:
        level, column, row = key
        width, height = engine.base.size_at(level)
        left, top = column * BLOCK, row * BLOCK
        region = (left, top, min(left + BLOCK, width), min(top + BLOCK, height))
        return to_image(engine.base.read(region, level), self._profile)


def _blocks(region: QRect, level: int, side: int) -> list[tuple[int, int, int]]:
    """Return keys (level, column, row) of the blocks of `side` picture pixels that a region touches."""
    columns = range(region.left() // side, region.right() // side + 1)
    rows = range(region.top() // side, region.bottom() // side + 1)
    return [(level, column, row) for row in rows for column in columns]
