"""Pictures of every size: each kind of step, proposals, figures and the judge."""

from __future__ import annotations

import warnings
from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.judge.measure import measure_picture
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds

SIZES = [(1, 1), (1, 300), (300, 1), (2, 3), (7, 5), (16, 9), (33, 64), (64, 128), (128, 64), (200, 90), (130, 257)]


def picture(width: int, height: int) -> Source:
    rng = np.random.default_rng(width)
    ramp = np.linspace(0.1, 0.8, width)[None, :, None] + rng.normal(0, 0.08, (height, width, 3))
    return Source((np.clip(ramp, 0, 1) * 255).astype(np.uint8))


@pytest.mark.parametrize(("width", "height"), SIZES)
def test_every_kind_works_on_every_size(width, height):
    engine = Engine(picture(width, height))
    manual = {"shadows": 0.5, "highlights": -0.5, "auto": False, "blotch": 5.0, "spare_stars": False}
    with warnings.catch_warnings(action="error"):
        for name, kind in kinds().items():
            if not kind.develops:
                known = kind.params_type.described()
                step = new_step(name, name)
                step = replace(step, params=replace(step.params, **{k: v for k, v in manual.items() if k in known}))
                plan = engine.plan(Document(Route((step, new_step("sharpen", "last")))))
                assert np.isfinite(engine.render(plan, (0, 0, width, height))).all()


@pytest.mark.parametrize(("width", "height"), SIZES)
def test_every_size_is_measured_proposed_for_and_judged(width, height):
    engine = Engine(picture(width, height))
    with warnings.catch_warnings(action="error"):
        assert measure_picture(engine)["width"] == width
        original, result = (engine.plan(Document(route)) for route in (Route(()), propose_route(engine)))
        assert judge(engine, result, original, choose_patches(original.base)).figures is not None
