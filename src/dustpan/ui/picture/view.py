"""What of a picture is looked at, of which subject, and the pixels that are there to show it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.filters.viewing import removed
from dustpan.core.picture.region import Region
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.work.cancel import Check
from dustpan.ui.picture.screen import Appearance


@dataclass(frozen=True)
class View:
    """What part of the picture is on screen, and at which pyramid level."""

    region: QRect  # in pixels of the picture
    level: int


@dataclass(frozen=True)
class Piece:
    """A draft of part of the picture: `area` in the picture's pixels, drawn from an image of a coarser level."""

    level: int
    area: QRect
    image: QImage


@dataclass(frozen=True)
class Subject:
    """What tiles show.

    Attributes
    ----------
    document : the route whose result is shown.
    minus : where set, the difference from this document's result is shown instead, times `gain`.
    inside : id of a step and name of its inner picture, shown instead of the result.
    appearance : how it is shown.
    """

    document: Document
    minus: Document | None = None
    gain: float = 1.0
    inside: tuple[str, str] | None = None
    appearance: Appearance = field(default_factory=Appearance)


@dataclass(frozen=True, eq=False)
class Shown:
    """A subject with its plans made, ready to render."""

    subject: Subject
    plan: Plan
    minus: Plan | None

    @property
    def key(self) -> tuple:
        """Provenance of the pixels on the screen."""
        subject = self.subject
        other = self.minus.key if self.minus else None
        return self.plan.key, other, subject.gain, subject.inside, subject.appearance

    @property
    def simple(self) -> bool:
        """Whether nothing has to be computed: reduced copies are exact and at hand."""
        return not self.plan.active and self.minus is None and self.subject.inside is None

    @property
    def figure(self) -> bool:
        """Whether this is a picture of measurement rather than of light."""
        return self.minus is not None or self.subject.inside is not None

    def at_hand(self, engine: Engine, keys: list[tuple[int, int, int]]) -> bool:
        """Return whether the engine still holds most of the blocks of some tiles."""
        plans = [plan for plan in (self.plan, self.minus) if plan is not None]
        present = sum(all(engine.holds(plan, (column, row)) for plan in plans) for _, column, row in keys)
        return self.subject.inside is None and 2 * present >= len(keys)

    def exact(self, engine: Engine, region: Region, level: int, check: Check) -> np.ndarray:
        """Return exact working pixels of a region of the picture, reduced by 2 ** level."""
        if self.subject.inside is not None:
            left, top, right, below = (-(-v >> level) for v in region)
            return self.draft(engine, (left, top, right, below), level, check)
        result = engine.render_reduced(self.plan, region, level, check=check)
        if self.minus is None:
            return result
        return removed(engine.render_reduced(self.minus, region, level, check=check), result, gain=self.subject.gain)

    def draft(self, engine: Engine, region: Region, level: int, check: Check) -> np.ndarray:
        """Return working pixels of a region of the reduced picture, made from the reduced picture."""
        if self.subject.inside is not None:
            step_id, name = self.subject.inside
            return engine.inside(self.plan.at(level), step_id, name, region, check=check)
        result = engine.sketch(self.plan.at(level), region, check=check)
        if self.minus is None:
            return result
        return removed(engine.sketch(self.minus.at(level), region, check=check), result, gain=self.subject.gain)


def level_for(zoom: float) -> int:
    """Return the level whose pixels are at least as fine as the screen's."""
    level = 0
    while zoom * 2 ** (level + 1) <= 1.0001:
        level += 1
    return level
