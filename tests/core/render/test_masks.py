"""Masks that look at pixels: the same in tiles as whole, from Base or from the step's input, at every level."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
import pytest

from dustpan.core.document import kinds as registry
from dustpan.core.document.history import Document
from dustpan.core.document.params import Params, param
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.where.part_kind import PartKind

SIZE = (560, 530)


@dataclass(frozen=True)
class LitParams(Params):
    """Settings of a part that only the tests know."""

    above: float = param("Above", 0.0, "Tone over the mean.", low=-1.0, high=1.0, step=0.1)


class Lit(PartKind):
    """Cover what is brighter than the picture's mean."""

    kind, label, help, params_type = "lit", "Lit", "Covers what is bright.", LitParams

    def analyse(self, params, survey):
        return float(tone_of(survey.overview).mean())

    def support(self, params, analysis, level=0):
        return 12

    def cover(self, tile, region, params, analysis, context):
        assert tile.shape[:2] == (region[3] - region[1], region[2] - region[0])
        return (
            cv2.blur(tone_of(tile), (25, 25), borderType=cv2.BORDER_REFLECT) > analysis + params.above
        ) * np.float32(1)


@pytest.fixture
def with_lit(monkeypatch):
    known = {"lit": Lit(), **registry.part_kinds()}
    monkeypatch.setattr(registry, "part_kinds", lambda: known)


@pytest.fixture(scope="module")
def halves():
    """A picture that is dark at the left and bright at the right."""
    tone = np.where(np.arange(SIZE[0]) < 350, 0.2, 0.7)[None, :, None] * np.ones((SIZE[1], 1, 3))
    return Source((tone + np.random.default_rng(1).normal(0, 0.02, tone.shape)).astype(np.float32))


def lit(**rest) -> Where:
    return Where((Part("l", "lit", LitParams()),), **rest)


def exposure(where: Where, ev: float = -1.0, step_id: str = "exposure"):
    step = new_step("exposure", step_id)
    return replace(step, params=replace(step.params, ev=ev), where=where)


@pytest.mark.parametrize("origin", ["source", "input"])
@pytest.mark.parametrize("feather", [0.0, 20.0])
def test_a_mask_of_pixels_is_the_same_in_tiles(with_lit, halves, origin, feather):
    engine = Engine(halves)
    quiet = replace(new_step("noise", "noise"), where=lit(feather=feather, origin=origin))
    plan = engine.plan(
        Document(Route((exposure(Where(), 0.5, "all"), quiet, exposure(lit(feather=feather, origin=origin)))))
    )
    whole = engine.render(plan, (0, 0, *SIZE))
    for x0, y0, x1, y1 in ((0, 0, 96, 80), (312, 200, 400, 296), (504, 504, 560, 530), (331, 77, 390, 101)):
        assert np.array_equal(Engine(halves).sketch(plan, (x0, y0, x1, y1)), whole[y0:y1, x0:x1])


def test_a_mask_of_the_source_stays_where_it_was_when_earlier_steps_change(with_lit, halves):
    engine = Engine(halves)
    inverted = exposure(Where(), ev=0.0, step_id="first")
    inverted = replace(inverted, params=replace(inverted.params, black=-0.2))
    for origin in ("source", "input"):
        plan = engine.plan(Document(Route((inverted, exposure(lit(origin=origin))))))
        before = engine.render(engine.plan(Document(Route((inverted,)))), (0, 0, *SIZE))
        changed = (engine.render(plan, (0, 0, *SIZE)) != before).any(axis=2)
        assert not changed[:, :330].any() and changed[:, 370:].all()


def test_drafts_and_the_noise_behind_the_mask_follow_it(with_lit, halves):
    engine = Engine(halves)
    step = replace(new_step("noise", "noise"), where=lit())
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, auto=False, luminance=100.0)),))))
    small = plan.at(1)
    draft, base = engine.sketch(small, (0, 0, *small.size)), plan.base.read((0, 0, *small.size), 1)
    assert np.array_equal(draft[:, :160], base[:, :160]) and not np.array_equal(draft[:, 190:], base[:, 190:])
    tone = np.full((4, 4), 0.5, np.float32)
    left, right = (
        plan.noise_after.sigma(tone, extent)[0].mean() for extent in ((0.1, 0.2, 0.3, 0.6), (0.7, 0.2, 0.9, 0.6))
    )
    assert right < 0.4 * left
