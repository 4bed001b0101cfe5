"""Tiles of a picture as the screen needs them: drafts at once, exact pixels as they arrive.

Exact pixels come from the engine's blocks: a tile covers one 512 px block of the picture whatever the level. A draft
is a strip of the reduced picture, made for what is on screen and kept nowhere else. After a change at actual pixels
the view itself is made exact first, in one strip per core: the blocks that it touches are twice as many pixels. A
picture without steps needs no drafts: its reduced copies are exact.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, QPoint, QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QRegion

from dustpan.core.errors import DustpanError
from dustpan.core.picture.region import Region
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import BLOCK
from dustpan.core.work.cancel import Check, Token
from dustpan.core.work.pool import Priority
from dustpan.ui.picture.screen import Screen, read_profile
from dustpan.ui.picture.view import Piece, Shown, Subject, View
from dustpan.ui.session.session import Session
from dustpan.ui.widgets.configured import configured

REST = 1000  # ms without a change before exact pixels are made for a reduced view
_KEPT = 96 << 20  # bytes of exact tiles kept
_PIECES = 24  # drafts kept
_TALLEST, _WIDEST = 640, 2048  # px of a strip
_ALIGN = 8  # px; drafts start on whole multiples, so that neighbouring ones fit


class Tiles(QObject):
    """Keep the tiles of one subject for the view, and ask for what is missing."""

    changed = pyqtSignal()
    state = pyqtSignal(bool, int, int)  # exact, blocks there, blocks wanted

    def __init__(self, session: Session, subject: Callable[[], Subject], parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.subject = subject
        self.view = View(QRect(), 0)
        self.active = True
        self.monitor: bytes = b""
        self.screen = Screen()
        self.drafts: list[Piece] = []
        self.strips: list[Piece] = []  # exact, of the view that was on screen when the subject changed
        self.exact: dict[tuple[int, int, int], QImage] = {}
        self._latest: Shown | None = None  # what the newest plan is of
        self._on_screen: Shown | None = None  # what the drafts and exact tiles are of
        self._busy = False
        self._again = False
        self._exact_token = Token()
        self._token = Token()
        self._rest = configured(QTimer(self), singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask_exact)
        session.opened.connect(self.start)
        session.edited.connect(lambda dragging: self.refresh())

    def start(self) -> None:
        """Begin with another picture, or with other colours of the screen."""
        self.stop()
        self._token = Token()
        engine = self.session.engine
        profile = engine.source.metadata.profile if engine else b""
        self.screen = Screen(read_profile(profile), read_profile(self.monitor))
        self.drafts, self.strips, self.exact = [], [], {}
        self._latest = self._on_screen = None
        self._busy = self._again = False
        self.changed.emit()
        self.request()

    def stop(self) -> None:
        """Drop all work under way."""
        self._token.cancel()
        self._exact_token.cancel()
        self._rest.stop()

    def show_view(self, view: View) -> None:
        """Show another part or level; finished pixels are kept."""
        if view != self.view:
            self.view = view
            self.request()

    def refresh(self) -> None:
        """Show the newest subject."""
        self._exact_token.cancel()
        self.state.emit(False, 0, 1)
        self.request()

    @property
    def settled(self) -> bool:
        """Whether the newest subject is on the screen in exact pixels."""
        newest = self._on_screen is not None and self._on_screen.subject == self.subject()
        return newest and not self._busy and not self._missing()

    @property
    def shown_key(self) -> tuple | None:
        """Provenance of what is on the screen."""
        return self._on_screen.key if self._on_screen else None

    def request(self) -> None:
        """Make a draft for the newest subject and view; a draft under way ends first, only the newest waits."""
        engine = self.session.engine
        if engine is None or not self.active or self.view.region.isEmpty():
            return
        if self._busy:
            self._again = True
            return
        self._busy = True
        subject, frozen, token = self.subject(), self.session.frozen, self._token

        def make() -> Shown:
            plan = engine.plan(subject.document, frozen=frozen, check=token.check)
            minus = None if subject.minus is None else engine.plan(subject.minus, frozen=frozen, check=token.check)
            return Shown(subject, plan, minus)

        def then(shown: Shown) -> None:
            self._draft(engine, shown, frozen is not None)

        self.session.jobs.run(make, then, priority=Priority.VIEW_DRAFT, token=token, failed=self._fail)

    def _fail(self, fault: DustpanError) -> None:
        """Tell what went wrong with a draft; the view goes on with the newest subject."""
        self._busy = False
        self.session.jobs.failed.emit(fault)
        if self._again:
            self._again = False
            self.request()

    def _draft(self, engine: Engine, shown: Shown, dragging: bool) -> None:
        """Ask for drafts of what is on screen, unless the exact tiles of this plan are there."""
        if shown.subject.document == self.session.document:
            self.session.take_plan(shown.plan)
        self._latest = shown
        same = shown.key == self.shown_key
        missing_tiles = self._missing() if same else _blocks(self.view.region, self.view.level, BLOCK)
        pieces = [] if shown.simple else self._pieces(shown, missing_tiles, same, dragging)
        if not pieces:
            self._take_drafts(shown, [])
            return
        found: list[Piece | None] = []

        def take(piece: Piece | None) -> None:
            found.append(piece)
            if len(found) == len(pieces):
                self._take_drafts(shown, [piece for piece in found if piece is not None])

        def fail(fault: DustpanError) -> None:
            if None not in found:  # one line for all pieces of a draft
                self.session.jobs.failed.emit(fault)
            take(None)

        for level, region in pieces:
            self.session.jobs.run(
                partial(self._piece, engine, shown, level, region, self._token.check),
                take,
                priority=Priority.VIEW_DRAFT,
                token=self._token,
                failed=fail,
            )

    def _pieces(self, shown: Shown, missing_tiles: list, same: bool, dragging: bool) -> list[tuple[int, Region]]:
        """Return level and region (in that level's pixels) of the strips that cover the missing blocks."""
        if not missing_tiles:
            return []
        area = QRect()
        for _, column, row in missing_tiles:
            area = area.united(QRect(column * BLOCK, row * BLOCK, BLOCK, BLOCK))
        area = area.intersected(self.view.region)
        level = max(self.view.level + dragging, 1)
        if same and self._drafted(area, max(self.view.level, 1)):
            return []
        width, height = shown.plan.base.size_at(level)
        return [(level, region) for region in _strips(area, level, (width, height), self.session.jobs.pool.size)]

    def _drafted(self, area: QRect, level: int) -> bool:
        """Return whether drafts at least that fine cover an area."""
        covered = QRegion()
        for piece in self.drafts:
            if piece.level <= level:
                covered = covered.united(piece.area)
        return QRegion(area).subtracted(covered).isEmpty()

    def _piece(self, engine: Engine, shown: Shown, level: int, region: Region, check: Check) -> Piece:
        pixels = shown.draft(engine, region, level, check)
        image = self.screen.show(pixels, shown.subject.appearance, plain=shown.figure)
        x0, y0, x1, y1 = region
        width, height = shown.plan.base.size
        return Piece(
            level,
            QRect(QPoint(x0 << level, y0 << level), QPoint(min(x1 << level, width) - 1, min(y1 << level, height) - 1)),
            image,
        )

    def _take_drafts(self, shown: Shown, found: list[Piece]) -> None:
        self._busy = False
        other = shown.key != self.shown_key
        if other:
            self.exact, self.strips = {}, []
            # The last pictures stay until the first of the new ones are there.
            self.drafts = [] if found else self.drafts
        self._on_screen = shown
        self.drafts = (self.drafts + found)[-_PIECES:]
        self._exact_token.cancel()
        if other or found:
            self.changed.emit()
        if self._again:
            self._again = False
            self.request()
            return
        self._tell()
        if self._missing():
            if self.view.level == 0 or shown.simple:
                self._ask_exact()
            else:
                self._rest.start()

    def _missing(self) -> list[tuple[int, int, int]]:
        """Return the exact tiles that are missing in the view, nearest its centre first."""
        view = self.view
        keys = [k for k in _blocks(view.region, view.level, BLOCK) if k not in self.exact]
        if keys and self.strips and view.level == 0:
            bare = QRegion(view.region)
            for piece in self.strips:
                bare = bare.subtracted(QRegion(piece.area))
            keys = [k for k in keys if bare.intersects(_area_of(k))]
        middle = view.region.center()
        return sorted(
            keys, key=lambda k: (k[1] * BLOCK + 256 - middle.x()) ** 2 + (k[2] * BLOCK + 256 - middle.y()) ** 2
        )

    def _ask_exact(self) -> None:
        """Ask for the exact tiles that are missing in the view."""
        engine, shown = self.session.engine, self._on_screen
        if engine is None or shown is None or shown is not self._latest:
            return
        self._exact_token = token = Token()
        priority = Priority.VIEW_DRAFT if shown.simple else Priority.AROUND if self.view.level else Priority.VIEW
        self._make_room()
        missing = self._missing()
        nothing = len(missing) == len(_blocks(self.view.region, self.view.level, BLOCK))
        if self.view.level == 0 and nothing and not shown.at_hand(engine, missing):
            self.strips = [piece for piece in self.strips if piece.area.intersects(self.view.region)]
            for region in _strips(self.view.region, 0, shown.plan.size, self.session.jobs.pool.size):
                self.session.jobs.run(
                    partial(self._piece, engine, shown, 0, region, token.check),
                    self._take_strip,
                    priority=priority,
                    token=token,
                )
            return
        # Tiles of a much reduced picture that is at hand are tiny: one job makes several.
        many = 4**self.view.level if shown.simple else 1
        for start in range(0, len(missing), many):
            keys = missing[start : start + many]
            self.session.jobs.run(
                partial(self._exact_images, engine, shown, keys, token.check),
                self._take_exact,
                priority=priority,
                token=token,
            )

    def _make_room(self) -> None:
        """Drop the oldest exact tiles out of view when there are too many."""
        kept = sum(image.sizeInBytes() for image in self.exact.values())
        shown = set(_blocks(self.view.region, self.view.level, BLOCK))
        for key in [k for k in self.exact if k not in shown]:
            if kept <= _KEPT:
                return
            kept -= self.exact.pop(key).sizeInBytes()

    def _exact_images(self, engine: Engine, shown: Shown, keys: list, check: Check) -> dict[tuple, QImage]:
        return {key: self._exact_image(engine, shown, key, check) for key in keys}

    def _exact_image(self, engine: Engine, shown: Shown, key, check: Check) -> QImage:
        level, column, row = key
        left, top = column * BLOCK, row * BLOCK
        width, height = shown.plan.size
        region = (left, top, min(left + BLOCK, width), min(top + BLOCK, height))
        pixels = shown.exact(engine, region, level, check)
        return self.screen.show(pixels, shown.subject.appearance, plain=shown.figure)

    def _take_strip(self, piece: Piece) -> None:
        self.strips.append(piece)
        self.changed.emit()
        self._tell()

    def colour_at(self, pixel: QPoint) -> QColor | None:
        """Return the screen's colour of a pixel, when it is there exactly."""
        image = self.exact.get((0, pixel.x() // BLOCK, pixel.y() // BLOCK))
        if image is not None:
            return image.pixelColor(pixel.x() % BLOCK, pixel.y() % BLOCK)
        strip = next((piece for piece in self.strips if piece.area.contains(pixel)), None)
        return None if strip is None else strip.image.pixelColor(pixel - strip.area.topLeft())

    def _take_exact(self, images: dict[tuple[int, int, int], QImage]) -> None:
        self.exact.update(images)
        if self._on_screen is not None and self._on_screen.simple and not self._missing():
            self.drafts = []
        self.changed.emit()
        self._tell()

    def _tell(self) -> None:
        wanted = len(_blocks(self.view.region, self.view.level, BLOCK))
        missing = len(self._missing())
        self.state.emit(self.settled, wanted - missing, wanted)


def _strips(area: QRect, level: int, size: tuple[int, int], cores: int) -> list[Region]:
    """Return the strips that cover an area of the picture, one per core, in pixels of a level of `size`.

    A large area is cut into more of them, so that what is done shows and what is no longer wanted ends soon.
    """
    step = _ALIGN << level
    left, top = area.left() // step * _ALIGN, area.top() // step * _ALIGN
    right = min(-(-(area.right() + 1) // step) * _ALIGN, size[0])
    bottom = min(-(-(area.bottom() + 1) // step) * _ALIGN, size[1])
    tall = min(_even_part(bottom - top, cores), _TALLEST)
    wide = _even_part(right - left, -(-(right - left) // _WIDEST))
    return [
        (x, y, min(x + wide, right), min(y + tall, bottom))
        for y in range(top, bottom, tall)
        for x in range(left, right, wide)
    ]


def _even_part(length: int, parts: int) -> int:
    """Return the length of equal parts, a multiple of the alignment and not tiny."""
    return max(-(-length // (max(parts, 1) * _ALIGN)) * _ALIGN, 64)


def _area_of(key: tuple[int, int, int]) -> QRect:
    return QRect(key[1] * BLOCK, key[2] * BLOCK, BLOCK, BLOCK)


def _blocks(region: QRect, level: int, side: int) -> list[tuple[int, int, int]]:
    """Return keys (level, column, row) of the blocks of `side` picture pixels that a region touches."""
    columns = range(region.left() // side, region.right() // side + 1)
    rows = range(region.top() // side, region.bottom() // side + 1)
    return [(level, column, row) for row in rows for column in columns]
