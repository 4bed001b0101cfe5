"""Base after several Mend steps: kept after each of them, the same pixels as all in one go."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.picture.region import moved
from dustpan.core.render.engine import Engine
from dustpan.core.where import part_kinds
from dustpan.simulate.scenes import noisy_picture

SIZE = (640, 420)


def route(*names: str, where: Where | None = None) -> Document:
    steps = [new_step(name, name) for name in names]
    return Document(Route(tuple(replace(step, where=where) if where else step for step in steps)))


@pytest.fixture(scope="module")
def source():
    return noisy_picture("bench", iso=3200, size=SIZE, seconds=1.0)


@pytest.mark.parametrize("names", [("hot_pixels", "fireflies", "fringe"), ("fireflies", "hot_pixels", "banding")])
def test_the_picture_after_each_step_is_that_of_all_in_one_go(source, names):
    document, whole = route(*names), (0, 0, *SIZE)
    engine = Engine(source)
    plan, together = engine.plan(document), engine.plan(document, outline=True)
    assert not plan.active and [each.step.kind for each in plan.all_prepared] == list(names)
    assert np.array_equal(engine.render(plan, whole), engine.sketch(together, whole))
    assert (engine.render(plan, whole) != engine.render(engine.plan(Document()), whole)).any()
    first = Engine(source).plan(route(names[0]))
    assert np.array_equal(engine.render(engine.plan_before(plan, plan.mended[1]), whole), engine.render(first, whole))


def test_masked_mend_steps_look_at_one_picture(source):
    """With a Where they are worked in one go, so that all masks are those of the same Base."""
    part = Part("darks", "brightness", part_kinds()["brightness"].params_type(high=0.4))
    document, whole = route("hot_pixels", "fireflies", where=Where((part,))), (0, 0, *SIZE)
    engine = Engine(source)
    together = engine.sketch(engine.plan(document, outline=True), whole)
    assert np.array_equal(engine.render(engine.plan(document), whole), together)


def test_a_later_change_keeps_what_was_mended_before(source, monkeypatch):
    engine, made = Engine(source), []
    engine.plan(route("hot_pixels", "fireflies"))
    make = engine.stores.bases.get_or_make

    def watched(key, produce, **rest):
        return make(key, lambda: (made.append(key), produce())[1], **rest)

    monkeypatch.setattr(engine.stores.bases, "get_or_make", watched)
    document = route("hot_pixels", "fireflies")
    stronger = replace(document.route.steps[1], params=replace(document.route.steps[1].params, strength=0.7))
    engine.plan(Document(document.route.with_step(stronger)))
    assert len(made) == 1  # the fireflies alone


def test_regions_are_moved():
    assert moved((1, 2, 3, 4), (10, 20, 99, 99)) == (11, 22, 13, 24)
