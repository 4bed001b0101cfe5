"""Tiles of the picture as the screen needs them: drafts at once, exact pixels as they arrive.

Both come from the engine's blocks. A tile covers one 512 px block of the picture whatever the level; a draft
covers one block of the reduced picture.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QRect, QTimer, pyqtSignal
from PyQt6.QtGui import QColorSpace, QImage

from dustpan.core.base import reduce_picture
from dustpan.core.engine import BLOCK, Engine, Plan
from dustpan.core.picture import from_working
from dustpan.core.pool import Priority, Token
from dustpan.ui.session import Session

REST = 1000  # ms without a change before exact pixels are made for a reduced view
_KEPT = 600  # exact tiles kept


@dataclass(frozen=True)
class View:
    """What part of the picture is looked at, and at which level."""

    region: QRect  # in pixels of the picture
    level: int


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
        self.drafts: dict[tuple[int, int, int], QImage] = {}
        self.exact: dict[tuple[int, int, int], QImage] = {}
        self._profile: QColorSpace | None = None
        self._plan_key = ""
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
        self._plan_key, self._draft_busy, self._again = "", False, False
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

    def _on_edit(self, dragging: bool) -> None:
        self._exact_token.cancel()
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
            lambda plan: self._draft(engine, plan, document), priority=Priority.VIEW_DRAFT, token=token,
        )  # fmt: skip

    def _draft(self, engine: Engine, plan: Plan, document) -> None:
        """Ask for the draft tiles of a plan that is ready, unless the exact ones are there."""
        if document is self.session.document:
            self.session.take_plan(plan)
        view = self.view
        level = view.level + 1 if view.level == 0 else view.level
        wanted = _blocks(view.region, level, BLOCK << level)
        if plan.key == self._plan_key:
            have = self._missing() == []
            wanted = [] if have else [key for key in wanted if key not in self.drafts]
        if not wanted:
            self._take_drafts(plan, {}, len(wanted))
            return
        small, found = plan.at(level), {}

        def one(key, image):
            found[key] = image
            if len(found) == len(wanted):
                self._take_drafts(plan, found, len(wanted))

        for key in wanted:
            self.session.jobs.run(
                lambda k=key: self._draft_image(engine, small, k), lambda image, k=key: one(k, image),
                priority=Priority.VIEW_DRAFT, token=self._token,
            )  # fmt: skip

    def _draft_image(self, engine: Engine, small: Plan, key) -> QImage:
        _, column, row = key
        width, height = small.size
        left, top = column * BLOCK, row * BLOCK
        region = (left, top, min(left + BLOCK, width), min(top + BLOCK, height))
        return to_image(engine.render(small, region, check=self._token.check), self._profile)

    def _take_drafts(self, plan: Plan, found: dict, count: int) -> None:
        self._draft_busy = False
        if plan.key != self._plan_key:
            self._plan_key = plan.key
            self.drafts, self.exact = {}, {}
        self.drafts.update(found)
        self._exact_token.cancel()
        self._asked.clear()
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
        self.state.emit(missing == 0, wanted - missing, wanted)

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
