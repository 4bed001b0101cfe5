"""What every kind of step owes, asked of the whole registry."""

from __future__ import annotations

import threading
from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy, read_remedy, write_remedy
from dustpan.core.document.route import Part, Route, Step, Where, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.kernels.dct import clean_rows
from dustpan.core.noise.fields import EvenField
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import BLOCK, block_regions
from dustpan.core.steps import kinds
from dustpan.core.steps.base import MAX_SUPPORT, Context
from dustpan.core.where import part_kinds


def settings(kind):
    """Settings that make a kind work: each number moved off its default, one by one and all together."""
    described = kind.params_type.described()
    moved = {}
    for key, d in described.items():
        if d.low is not None and not d.length:
            moved[key] = type(d.default)(min(d.high, max(d.low, d.default + 0.4 * (d.high - d.low) / 2)))
    manual = {"auto": False} if "auto" in described else {}
    yield from ((key, {key: value, **manual}) for key, value in moved.items())
    yield "all", {**moved, **manual}


NAMED = {f"{kind.kind}-{name}": (kind, values) for kind in kinds().values() for name, values in settings(kind)}
CASES, NAMES = list(NAMED.values()), list(NAMED)


def step_of(kind, values=None, **rest) -> Step:
    return replace(new_step(kind.kind, kind.kind), params=kind.params_type(**(values or {})), **rest)


@pytest.fixture(scope="module")
def picture():
    """A colourful picture larger than a block, with values below black and above white."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:600, 0:700] / 700
    tone = np.stack([x, y, 0.5 + 0.5 * np.sin(9 * x * y)], axis=2) * 1.2 - 0.1
    return Source((tone + rng.normal(0, 0.05, tone.shape)).astype(np.float32))


@pytest.mark.parametrize(("kind", "values"), CASES, ids=NAMES)
def test_whole_equals_tiled_and_pixels_stay_sound(kind, values, picture):
    engine = Engine(picture)
    plan = engine.plan(Document(Route((step_of(kind, values),))))
    if not plan.active:
        pytest.skip("these settings change nothing")
    stage = plan.active[0]
    whole_tile = picture.read((0, 0, *plan.size))
    kept = whole_tile.copy()
    whole_tile.flags.writeable = False
    context = Context(stage.noise, plan.size)
    whole = kind.apply(whole_tile, (0, 0, *plan.size), stage.params, stage.analysis, context)
    assert whole.shape == kept.shape
    assert np.isfinite(whole).all()
    assert np.array_equal(whole_tile, kept)
    assert 0 <= kind.support(stage.params, stage.analysis) <= MAX_SUPPORT
    tiled = engine.render(plan, (0, 0, *plan.size))
    assert tiled.dtype == np.float32
    assert np.abs(tiled - whole).max() < 1e-5
    # What a view asks for, and what stands on no grid at all.
    for x0, y0, x1, y1 in ((72, 40, 600, 344), (336, 200, 700, 600), (0, 504, 64, 552), (73, 41, 398, 207)):
        assert np.array_equal(engine.sketch(plan, (x0, y0, x1, y1)), tiled[y0:y1, x0:x1])


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_blocks_do_not_depend_on_the_order_or_the_threads(kind, picture, pool):
    document = Document(Route((step_of(kind, NAMED[f"{kind.kind}-all"][1]),)))
    forward, backward = Engine(picture), Engine(picture)
    plan = forward.plan(document)
    first = [forward.render(plan, region) for region in block_regions(plan.size)]
    plan = backward.plan(document)
    from dustpan.core.work.cancel import Token

    waiting = [
        pool.submit(lambda r=region: backward.render(plan, r), priority=0, token=Token())
        for region in reversed(list(block_regions(plan.size)))
    ]
    for block, future in zip(reversed(first), waiting, strict=True):
        assert np.array_equal(block, future.result())


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_nothing_asked_gives_the_input_back_bit_for_bit(kind, picture):
    engine = Engine(picture)
    values = NAMED[f"{kind.kind}-all"][1]
    nowhere = Where(invert=True)
    rest = {k: (0.0 if k in ("luminance", "colour", "amount", "strength") else v) for k, v in values.items()}
    steps = [
        step_of(kind, values, mix=0.0),
        step_of(kind, values, on=False),
        step_of(kind, values, where=nowhere),
        step_of(kind, rest if {"luminance", "amount", "strength"} & set(values) else {}),
    ]
    for step in steps:
        plan = engine.plan(Document(Route((step,))))
        assert np.array_equal(engine.render(plan, (0, 0, *plan.size)), picture.pixels)


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_a_grey_picture_stays_grey_and_small_pictures_work(kind):
    values = NAMED[f"{kind.kind}-all"][1]
    for shape in ((1, 1, 1), (3, 40, 1), (70, 9, 1)):
        grey = np.random.default_rng(1).random(shape).astype(np.float32)
        engine = Engine(Source(grey))
        plan = engine.plan(Document(Route((step_of(kind, values),))))
        result = engine.render(plan, (0, 0, *plan.size))
        assert np.isfinite(result).all()
        assert np.ptp(result, axis=2).max() < 1e-5


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_words_and_ranges_are_complete(kind):
    assert kind.help.endswith(".") and kind.label
    assert {"id", "name", "on", "mix", "blend", "where"}.isdisjoint(kind.params_type.described())
    for key, d in kind.params_type.described().items():
        assert key.isidentifier() and key.islower()
        assert d.label and d.help.endswith(".")
        assert d.fault(d.tidy(d.default)) is None
        if d.low is not None:
            assert d.low < d.high and d.step
            for wrong in (d.low - 1, d.high + 1, float("nan"), "much", None, True):
                assert d.fault([wrong] * d.length if d.length else wrong)


@pytest.mark.parametrize(("kind", "values"), CASES, ids=NAMES)
def test_settings_survive_the_remedy(kind, values):
    ellipse = part_kinds()["ellipse"]
    part = Part("e", ellipse.kind, ellipse.params_type(cx=0.3, angle=30.0), op="subtract", invert=True)
    where = Where((part,), invert=True, feather=12.0, origin="input")
    step = step_of(kind, values, mix=0.25, where=where, name="My own")
    remedy = Remedy(Route((step,)), name="test", camera="Quillmark Q3", iso=6400, extra={"kept": [1, None]})
    assert read_remedy(write_remedy(remedy), where="here") == remedy
    with pytest.raises(RemedyError, match="did you mean"):
        kind.params_type.from_json({f"{next(iter(values))}s": 1}, where="here")


def test_every_kernel_has_one_signature(picture):
    engine = Engine(picture)
    noise = kinds()["noise"]
    for layout in (picture.pixels, np.asfortranarray(picture.pixels), picture.pixels[::2, ::-1]):
        plan = Engine(Source(layout)).plan(Document(Route((step_of(noise, {"auto": False, "blotch": 5.0}),))))
        context = Context(EvenField(engine.noise), plan.size)
        stage = plan.active[0]
        noise.apply(layout.copy(order="K"), (0, 0, *plan.size), stage.params, stage.analysis, context)
    assert len(clean_rows.signatures) == 1


def test_a_kernel_stops_within_a_tenth_of_a_second_when_it_is_cancelled(picture):
    """Count the calls, not the time: the check comes between bands of at most 32 rows."""
    noise = kinds()["noise"]
    engine = Engine(picture)
    plan = engine.plan(Document(Route((step_of(noise),))))
    calls = []
    engine.block(plan, (0, 0), check=lambda: calls.append(threading.get_ident()))
    rows_worked = 3 * 2 * (BLOCK + 128)
    assert len(calls) >= rows_worked / 32 / 2


def test_mask_laws_and_mix_stay_between_input_and_result(picture):
    exposure = kinds()["exposure"]
    engine = Engine(picture)
    region = (0, 0, 200, 100)

    def render(**rest):
        return engine.render(engine.plan(Document(Route((step_of(exposure, {"ev": 1.0}, **rest),)))), region)

    before, full = picture.read(region), render()
    assert np.allclose(render(mix=0.5), (before + full) / 2, atol=1e-6)
    grey = render(blend="colour_only")
    assert np.allclose(grey.mean(axis=2), before.mean(axis=2), atol=1e-5)
    assert np.array_equal(render(blend="darken"), np.minimum(before, full))
    ellipse = part_kinds()["ellipse"]
    part = Part("e", ellipse.kind, ellipse.params_type(cx=0.0, cy=0.0, rx=0.1, ry=0.1, softness=0.2))
    inside = render(where=Where((part,)))
    outside = render(where=replace(Where((part,)), invert=True))
    assert np.array_equal(inside[90:, 190:], before[90:, 190:]) and np.allclose(inside[:5, :5], full[:5, :5], atol=1e-6)
    assert np.allclose(inside + outside, before + full, atol=1e-5)
