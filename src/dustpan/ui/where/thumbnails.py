"""Small pictures of what each part of a Where covers, and of the whole."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QPixmap

from dustpan.core.document.route import Part, Where
from dustpan.core.picture.pyramid import level_under
from dustpan.core.render.plan import Plan, Prepared
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Priority
from dustpan.ui.session.session import Session
from dustpan.ui.where.mask_view import grey_image
from dustpan.ui.where.parts import Parts

_PIXELS = 8000  # of a small picture


class Thumbnails(QObject):
    """Make the small pictures of a Where's parts in a worker, when they have changed.

    Signals
    -------
    made(part_id, icon) : there is another one.

    Attributes
    ----------
    icons : the newest by the part's id.
    """

    made = pyqtSignal(str, QIcon)

    def __init__(self, parts: Parts, parent: QObject | None = None):
        super().__init__(parent)
        self.parts = parts
        self.icons: dict[str, QIcon] = {}
        self._shown: dict[str, tuple] = {}
        self._token: Token | None = None

    def refresh(self) -> None:
        """Ask for the small pictures that are not shown yet; while something is dragged, nothing."""
        session = self.parts.session
        plan, step = session.plan, session.step
        prepared = plan.find(step.id) if plan is not None and step is not None else None
        if plan is None or prepared is None or session.dragging:
            return
        if prepared.step.where != step.where and len(prepared.step.where.parts) != len(step.where.parts):
            return  # a newer plan is on its way
        wanted = [
            (part, analysis)
            for part, analysis in zip(prepared.step.where.parts, prepared.mask_analyses, strict=True)
            if self._shown.get(part.id) != _key_of(plan, prepared, part)
        ]
        if not wanted:
            return
        if self._token is not None:
            self._token.cancel()
        token = self._token = Token()
        job = partial(_make_all, session.engine, plan, prepared, wanted, token.check)
        session.jobs.run(job, partial(self._take, plan, prepared), priority=Priority.AROUND, token=token)

    def _take(self, plan: Plan, prepared: Prepared, made: list[tuple[Part, QImage]]) -> None:
        self._token = None
        for part, image in made:
            self._shown[part.id] = _key_of(plan, prepared, part)
            self.icons[part.id] = QIcon(QPixmap.fromImage(image))
            self.made.emit(part.id, self.icons[part.id])


def _key_of(plan: Plan, prepared: Prepared, part: Part) -> tuple:
    """Return what a part's cover depends on."""
    looked_at = plan.base.key if prepared.step.where.origin == "source" else prepared.raw_key
    return looked_at, part.kind, part.params, part.kept


def _make_all(engine, plan: Plan, prepared: Prepared, wanted, check) -> list[tuple[Part, QImage]]:
    level = level_under(plan.base.size, _PIXELS)
    small = plan.at(level)
    made = []
    for part, analysis in wanted:
        check()
        where = Where((replace(part, op="add", invert=False, on=True),), origin=prepared.step.where.origin)
        alone = replace(prepared, step=replace(prepared.step, where=where), mask_analyses=(analysis,))
        made.append((part, grey_image(engine.mask(small, alone, (0, 0, *small.size), check=check))))
    return made


class CardMasks(QObject):
    """Make the small picture of each step's whole Where for its card.

    Signals
    -------
    made(step_id, pixmap) : there is another one.
    """

    made = pyqtSignal(str, QPixmap)

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self._shown: dict[str, str] = {}
        self._token: Token | None = None
        session.opened.connect(self._shown.clear)

    def refresh(self) -> None:
        """Ask for what has changed; while something is dragged, nothing."""
        session, plan = self.session, self.session.plan
        if plan is None or session.dragging:
            return
        wanted = [
            prepared
            for prepared in plan.all_prepared
            if not prepared.step.where.everywhere and self._shown.get(prepared.step.id) != prepared.key
        ]
        if not wanted:
            return
        if self._token is not None:
            self._token.cancel()
        self._token = Token()
        job = partial(_make_masks, session.engine, plan, wanted, self._token.check)
        session.jobs.run(job, self._take, priority=Priority.AROUND, token=self._token)

    def _take(self, made: list[tuple[Prepared, QImage]]) -> None:
        self._token = None
        for prepared, image in made:
            self._shown[prepared.step.id] = prepared.key
            self.made.emit(prepared.step.id, QPixmap.fromImage(image))


def _make_masks(engine, plan: Plan, wanted: list[Prepared], check) -> list[tuple[Prepared, QImage]]:
    small = plan.at(level_under(plan.base.size, _PIXELS))
    region = (0, 0, *small.size)
    return [(prepared, grey_image(engine.mask(small, prepared, region, check=check))) for prepared in wanted]
