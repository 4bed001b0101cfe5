"""Banding and sensor lines: taken off where they are, and nothing changed where there are none."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.core.steps.tiling import compare_whole_and_tiled
from training.kinds import lettering

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.curve import decode_curve, encode_curve, encode_slope
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan, Prepared
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture, raw_picture

LEVEL = 1 / 255
PERIOD, PHASE = 12, 5


@pytest.fixture(scope="module")
def quiet() -> np.ndarray:
    """A part of the bench with wood, brass, felt and wall, under noise of 3 levels."""
    sound = clean_picture("bench", size=(1200, 800), dtype=np.float32).pixels[120:680, 200:840]
    return (sound + np.random.default_rng(4).normal(0, 3 * LEVEL, sound.shape)).astype(np.float32)


def stored(picture: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)


def mended(source: Source, kind: str, **values) -> tuple[np.ndarray, Plan, Prepared]:
    engine, step = Engine(source), new_step(kind, kind)
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))), outline=True)
    return engine.render(plan, (0, 0, *plan.size)), plan, plan.prepared[0]


def bands_of(shape, deviation: float, *, columns: bool) -> np.ndarray:
    count = shape[1] if columns else shape[0]
    offsets = np.random.default_rng(9).normal(0, deviation * LEVEL, count)
    return offsets[None, :, None] if columns else offsets[:, None, None]


@pytest.mark.parametrize("columns", [False, True])
@pytest.mark.parametrize("of_light", [False, True])
def test_bands_are_taken_off(quiet, columns, of_light):
    offsets = bands_of(quiet.shape, 2 if of_light else 4, columns=columns)
    banded = quiet + offsets
    if of_light:
        banded = encode_curve(decode_curve(quiet) + offsets / encode_slope(np.array(0.3)))
    result, _, prepared = mended(Source(stored(banded)), "banding", rows=0.8 * (not columns), columns=0.8 * columns)
    found = prepared.analysis.columns if columns else prepared.analysis.rows
    assert found.of_light is of_light
    left = [(picture - stored(quiet) / 255).mean(axis=0 if columns else 1).std() for picture in (result, banded)]
    assert left[0] < 0.45 * left[1]


@pytest.mark.parametrize(("rows", "left_over"), [(5, 0.6), (12, 0.9)])
def test_bands_of_several_rows_are_taken_off_and_proposed(quiet, rows, left_over):
    offsets = np.repeat(np.random.default_rng(3).normal(0, 4 * LEVEL, quiet.shape[0] // rows + 1), rows)
    source = Source(stored(quiet + offsets[: len(quiet), None, None]))
    result, _, prepared = mended(source, "banding")
    assert prepared.analysis.rows.size > 1.5 * LEVEL
    before, after = ((picture - quiet).mean(axis=1) for picture in (stored(source.pixels / 255) / 255, result))
    assert after.std() < left_over * before.std()
    engine = Engine(source)
    assert kinds()["banding"].propose(engine.survey(engine.plan(Document()))) is not None


def test_a_picture_without_bands_or_lines_is_left_as_it_is(quiet):
    for picture in (stored(quiet), stored(clean_picture("bench", size=(600, 400), dtype=np.float32).pixels)):
        source = Source(picture)
        for kind, values in (("banding", {"columns": 0.8}), ("sensor_lines", {})):
            result, plan, prepared = mended(source, kind, **values)
            assert np.array_equal(result, source.read((0, 0, *plan.size)))
            assert prepared.kind.tell(prepared.params, prepared.analysis) == "none found"


def test_bands_and_lines_are_said_and_their_steps_proposed(quiet):
    lines = np.zeros(quiet.shape, np.float32)
    lines[PHASE::PERIOD] = 5 * LEVEL
    for added, what in ((bands_of(quiet.shape, 4, columns=False), "banding"), (lines, "sensor_lines")):
        engine = Engine(Source(stored(quiet + added)))
        survey = engine.survey(engine.plan(Document()))
        said = [finding.step for kind in ("banding", "sensor_lines") for finding in kinds()[kind].findings(survey)]
        assert said == [what]
        proposed = [kind for kind in ("banding", "sensor_lines") if kinds()[kind].propose(survey) is not None]
        assert proposed == [what]


def flare(shape) -> np.ndarray:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    return np.exp(-((x - shape[1] * 0.4) ** 2 + (y - shape[0] * 0.5) ** 2) / (2 * (shape[0] / 4) ** 2))


@pytest.mark.parametrize("columns", [False, True])
def test_lines_near_flare_are_taken_off(quiet, columns):
    picture = np.ascontiguousarray(quiet.swapaxes(0, 1)) if columns else quiet
    on = np.zeros(quiet.shape[:2])
    on[PHASE::PERIOD] = 6 * LEVEL
    added = on * flare(quiet.shape)
    added = (added.T if columns else added)[..., None]
    result, _, prepared = mended(Source(stored(picture + added)), "sensor_lines")
    assert prepared.analysis.columns is columns
    assert (prepared.analysis.lines.period, prepared.analysis.lines.phases) == (PERIOD, (PHASE,))
    left = result - stored(picture) / 255
    rows = left.swapaxes(0, 1) if columns else left
    assert abs((rows[PHASE::PERIOD] * flare(quiet.shape)[PHASE::PERIOD, :, None]).mean()) < 0.1 * added.mean() * PERIOD
    changed = np.abs(result - stored(picture + added) / 255).max(axis=(0, 2) if columns else (1, 2)) > 1e-6
    assert set(np.flatnonzero(changed) % PERIOD) == {PHASE}


@pytest.mark.parametrize(("every", "found"), [(2, None), (4, 4), (8, 8)])
def test_every_other_row_is_the_mosaic_and_no_line(quiet, every, found):
    picture = quiet.copy()
    picture[1::every] += 6 * LEVEL
    lines = mended(Source(stored(picture)), "sensor_lines")[2].analysis
    assert (None if lines is None else lines.lines.period) == found


@pytest.mark.parametrize("six", [False, True])
def test_lines_of_a_mosaic_are_taken_off_before_development(six):
    sound = raw_picture("bench", iso=1600, size=(600, 480), six=six)
    on = np.zeros((480, 600))
    on[PHASE::PERIOD] = 900.0
    numbers = np.clip(sound.pixels + (on * flare(on.shape))[..., None], 0, 16383).astype(np.uint16)
    source = replace(sound, pixels=numbers)
    engine = Engine(source)
    plan = engine.plan_mosaic(Route((new_step("sensor_lines", "sensor_lines"),)))
    lines = plan.prepared[0].analysis.lines
    assert (lines.period, lines.phases) == (PERIOD, (PHASE,))
    compare_whole_and_tiled(engine, plan)
    light = sound.mosaic.light(sound.pixels, (0, 0, 600, 480))
    before, after = (
        ((picture - light)[PHASE::PERIOD, :, 0] * flare(on.shape)[PHASE::PERIOD]).mean()
        for picture in (source.read((0, 0, 600, 480)), engine.render(plan, (0, 0, 600, 480)))
    )
    assert abs(after) < 0.1 * before


@pytest.mark.parametrize("six", [False, True])
def test_bands_of_a_mosaic_are_told_from_the_picture(six):
    sound = raw_picture("bench", iso=1600, size=(720, 480), six=six)
    bands = np.random.default_rng(3).normal(0, 80, (480, 1, 1))
    banded = replace(sound, pixels=np.clip(sound.pixels + bands, 0, 16383).astype(np.uint16))
    kind = kinds()["banding"]
    for source, rows in ((sound, 0.0), (banded, 0.8)):
        engine = Engine(source)
        params = kind.propose(engine.survey(engine.plan_mosaic(Route())))
        assert (params.rows if params else 0.0) == rows and (params is None or params.columns == 0)
    plan = engine.plan_mosaic(Route((replace(new_step("banding", "banding"), params=params),)))
    before, after = (banded.read((0, 0, 720, 480)), engine.render(plan, (0, 0, 720, 480)))
    light = sound.read((0, 0, 720, 480))
    left, there = (np.median(picture - light, axis=(1, 2)).std() for picture in (after, before))
    assert left < 0.65 * there


def test_lines_and_bands_are_mended_the_same_in_tiles(quiet):
    large = np.tile(quiet, (2, 1, 1))[:640, :704]
    lines = np.zeros(large.shape, np.float32)
    lines[3::16] = 6 * LEVEL
    for added, kind in ((lines, "sensor_lines"), (bands_of(large.shape, 4, columns=False), "banding")):
        source = Source(stored(large + added))
        _, plan, prepared = mended(source, kind)
        assert prepared.kind.tell(prepared.params, prepared.analysis) != "none found"
        compare_whole_and_tiled(Engine(source), plan)


def letters(pitch: int) -> np.ndarray:
    page = np.full((480, 640, 3), 235, np.uint8)
    rng = np.random.default_rng(5)
    for top in range(20, 470, pitch):
        line = "".join(rng.choice(list("the hands of a clock "), 90))
        cv2.putText(page, line, (0, top), 0, 0.45, (30,) * 3)
    return page / 255


@pytest.mark.parametrize("page", [letters(22), letters(26), lettering((512, 512))], ids=["22 px", "26 px", "alike"])
def test_lines_of_letters_are_no_bands(page):
    noisy = page + np.random.default_rng(2).normal(0, 8 * LEVEL, page.shape)
    engine = Engine(Source(stored(noisy)))
    assert kinds()["banding"].propose(engine.survey(engine.plan(Document()))) is None
