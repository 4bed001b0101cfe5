"""What every kind of step owes, asked of the whole registry."""

from __future__ import annotations

import threading
from dataclasses import replace

import numpy as np
import pytest
from tests.core.steps.tiling import compare_whole_and_tiled

from dustpan.core.document.history import Document
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Part, Route, Step, Where, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.picture import base
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import BLOCK, block_regions
from dustpan.core.steps import kinds
from dustpan.core.where import part_kinds
from dustpan.core.work.cancel import Token
from dustpan.simulate.scenes import raw_picture


def settings(kind):
    """Settings that make a kind work: each switch and choice alone, then all numbers a little, and farther."""
    described = kind.params_type.described()
    manual = {"auto": False} if "auto" in described else {}
    little, moved = {}, {}
    for key, d in described.items():
        if d.length:
            moved[key] = tuple(np.linspace(d.low, d.high, d.length).tolist())
        elif d.low is not None:
            for numbers, part in ((little, 0.1), (moved, 0.4)):
                numbers[key] = type(d.default)(min(d.high, max(d.low, d.default + part * (d.high - d.low) / 2)))
        elif isinstance(d.default, bool) and key != "auto":
            yield key, {key: not d.default, **manual}
        for choice in sorted(set(d.choices) - {d.default}):
            yield f"{key}={choice}", {key: choice, **manual}
    yield "little", {**little, **manual}
    yield "all", {**moved, **manual}


NAMED = {f"{kind.kind}-{name}": (kind, values) for kind in kinds().values() for name, values in settings(kind)}
CASES, NAMES = list(NAMED.values()), list(NAMED)
RAW = {name: case for name, case in NAMED.items() if case[0].develops or case[0].takes_mosaic}


def step_of(kind, values=None, **rest) -> Step:
    return replace(new_step(kind.kind, kind.kind), params=kind.params_type(**(values or {})), **rest)


def colourful(width: int, height: int) -> Source:
    """A colourful picture with values below black and above white."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:height, 0:width] / width
    tone = np.stack([x, y, 0.5 + 0.5 * np.sin(9 * x * y)], axis=2) * 1.2 - 0.1
    return Source((tone + rng.normal(0, 0.05, tone.shape)).astype(np.float32))


@pytest.fixture(scope="module")
def picture():
    """A picture larger than a block."""
    return colourful(580, 540)


@pytest.fixture(scope="module")
def engine(picture):
    """One for all cases, so that the noise is measured once."""
    return Engine(picture)


@pytest.fixture(scope="module")
def mosaic_engine():
    """Of a sensor's mosaic larger than a block."""
    return Engine(raw_picture("bench", size=(576, 544)))


@pytest.mark.parametrize(("kind", "values"), CASES, ids=NAMES)
def test_whole_equals_tiled_and_pixels_stay_sound(kind, values, engine):
    compare_whole_and_tiled(engine, engine.plan(Document(Route((step_of(kind, values),))), outline=True))


@pytest.mark.parametrize("kind", [k for k in kinds().values() if not k.develops], ids=lambda k: k.kind)
def test_a_picture_whose_overview_is_reduced_is_the_same_in_tiles(kind, picture, engine, monkeypatch):
    monkeypatch.setattr(base, "_OVERVIEW", 100_000)  # as of a picture of several megapixels
    reduced = Engine(picture, noise=engine.noise)
    assert reduced.base.overview_level == 1
    values = NAMED[f"{kind.kind}-all"][1]
    compare_whole_and_tiled(reduced, reduced.plan(Document(Route((step_of(kind, values),))), outline=True))


@pytest.mark.parametrize(("kind", "values"), RAW.values(), ids=list(RAW))
def test_a_mosaic_is_worked_the_same_in_tiles(kind, values, mosaic_engine):
    compare_whole_and_tiled(mosaic_engine, mosaic_engine.plan_mosaic(Route((step_of(kind, values),))))


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_blocks_do_not_depend_on_the_order_or_the_threads(kind, picture, engine, pool):
    document = Document(Route((step_of(kind, NAMED[f"{kind.kind}-all"][1]),)))
    forward, backward = (Engine(picture, noise=engine.noise) for _ in range(2))
    plan = forward.plan(document)
    first = [forward.render(plan, region) for region in block_regions(plan.size)]
    plan = backward.plan(document)
    waiting = [
        pool.submit(lambda r=region: backward.render(plan, r), priority=0, token=Token())
        for region in reversed(list(block_regions(plan.size)))
    ]
    for block, future in zip(reversed(first), waiting, strict=True):
        assert np.array_equal(block, future.result())


@pytest.mark.parametrize("kind", kinds().values(), ids=list(kinds()))
def test_nothing_asked_gives_the_input_back_bit_for_bit(kind, engine, picture):
    values = NAMED[f"{kind.kind}-all"][1]
    nowhere = Where(invert=True)
    rest = {k: (0.0 if k in ("luminance", "colour", "amount", "strength") else v) for k, v in values.items()}
    steps = [step_of(kind, values, mix=0.0), step_of(kind, values, on=False), step_of(kind, values, where=nowhere)]
    if {"luminance", "amount", "strength"} & set(values):
        steps.append(step_of(kind, rest))
    elif kind.idle(kind.params_type()):
        steps.append(step_of(kind))
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


def test_a_kernel_stops_within_a_tenth_of_a_second_when_it_is_cancelled(engine):
    """Count the calls, not the time: the check comes between bands of at most 32 rows."""
    noise = kinds()["noise"]
    plan = engine.plan(Document(Route((step_of(noise),))))
    calls = []
    engine.block(plan, (0, 0), check=lambda: calls.append(threading.get_ident()))
    rows_worked = 3 * 2 * (BLOCK + 128)
    assert len(calls) >= rows_worked / 32 / 2


def test_mask_laws_and_mix_stay_between_input_and_result(engine, picture):
    exposure = kinds()["exposure"]
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
