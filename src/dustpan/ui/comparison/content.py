"""What stands on the page of a comparison: pictures before and after, figures, the route in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage

from dustpan.core.document.history import Document
from dustpan.core.document.route import Step
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.region import Size
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.steps.finding import percent
from dustpan.core.where.words import told
from dustpan.core.work.cancel import Check
from dustpan.ui.judging.proofs import Proof, shown_region
from dustpan.ui.judging.reading import Reading, readings_of
from dustpan.ui.picture.screen import Appearance, Screen, read_profile
from dustpan.ui.translation import tr


@dataclass(frozen=True, eq=False)
class PairOfImages:
    """The same place before and after."""

    name: str
    before: QImage
    after: QImage


@dataclass(frozen=True, eq=False)
class Content:
    """Everything on the page.

    Attributes
    ----------
    title, facts : the picture's name, and what is known of it.
    overview, places : pairs of images.
    readings : figures of the whole route.
    steps : the route, a line each.
    """

    title: str
    facts: str
    overview: PairOfImages
    places: Sequence[PairOfImages]
    readings: Sequence[Reading]
    steps: Sequence[str]


def gather(
    engine: Engine, document: Document, original: Document, proofs: Sequence[Proof], *, room: Size, check: Check
) -> Content:
    """Render and judge what stands on the page.

    Parameters
    ----------
    original : the picture as it came.
    proofs : the places that are shown at actual pixels.
    room : width and height of each side of the overview, px of the page; places are as wide as they come.
    """
    plan, before = engine.plan(document, check=check), engine.plan(original, check=check)
    screen = Screen(read_profile(engine.source.metadata.profile))
    report = judge(engine, plan, before, choose_patches(before.base), check=check)
    half = QSize(room[0] // 2 - 6, room[0] // 2 - 6)
    places = [
        PairOfImages(proof.shown, *(_place(engine, side, proof, half, screen, check) for side in (before, plan)))
        for proof in proofs
    ]
    sides = [_whole(engine, side, room, screen, check) for side in (before, plan)]
    facts = engine.source.metadata
    known = (
        facts.camera,
        tr("ISO {iso}", iso=facts.iso) if facts.iso else "",
        facts.exposure,
        tr("{width} × {height} px", width=plan.size[0], height=plan.size[1]),
    )
    return Content(
        engine.source.name,
        "   ·   ".join(word for word in known if word),
        PairOfImages(tr("The whole picture"), *sides),
        places,
        readings_of(report),
        [_line(engine, plan, step) for step in document.route if step.can_work],
    )


def _whole(engine: Engine, plan: Plan, room: Size, screen: Screen, check: Check) -> QImage:
    level = 0
    while plan.base.size_at(level)[0] > 2 * room[0] or plan.base.size_at(level)[1] > 2 * room[1]:
        level += 1
    pixels = engine.sketch(plan.at(level), (0, 0, *plan.base.size_at(level)), check=check)
    image = screen.show(np.clip(pixels, 0, 1), Appearance())
    if image.width() <= room[0] and image.height() <= room[1]:
        return image
    mode, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return image.scaled(QSize(*room), mode, smooth)


def _place(engine: Engine, plan: Plan, proof: Proof, half: QSize, screen: Screen, check: Check) -> QImage:
    region = shown_region(proof, half, plan.base.size)
    image = screen.show(engine.sketch(plan, region, check=check), Appearance())
    return image if proof.zoom == 1 else image.scaled(image.size() * proof.zoom)


def _line(engine: Engine, plan: Plan, step: Step) -> str:
    """Return a step in words: what it did, how much of it is laid over, where."""
    prepared = plan.find(step.id)
    did = (
        "" if prepared is None else prepared.kind.tell(prepared.params, prepared.analysis, engine.count_found(prepared))
    )
    mix = tr("Mix {share}", share=percent(step.mix)) if step.mix < 1 else ""
    where = "" if step.where.everywhere else told(step.where)
    more = ", ".join(word for word in (did, mix, where) if word)
    return f"{tr(step.title)}: {more}" if more else tr(step.title)
