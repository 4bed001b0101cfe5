"""Stars that a route takes away are told; hot pixels that go are no loss."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.judge.figures import find_harms
from dustpan.core.judge.harms import Figures, sides_of
from dustpan.core.judge.harms.stars import combine_stars, measure_stars
from dustpan.core.judge.propose import ease_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate import camera

LEVEL = 1 / 255
SIDE, STARS = 448, 160


def stored(picture: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)


def sky(width: float, *, seed: int = 1, noise: float = 3.0) -> np.ndarray:
    """A dark sky with noise of so many levels and stars as wide as that at half their height, px."""
    rng = np.random.default_rng(seed)
    picture = np.full((SIDE, SIDE, 3), (0.09, 0.10, 0.13))
    y, x = np.mgrid[-7:8, -7:8]
    for _ in range(STARS):
        row, column = rng.integers(12, SIDE - 12, 2)
        square = (x + rng.uniform(-0.5, 0.5)) ** 2 + (y + rng.uniform(-0.5, 0.5)) ** 2
        light = rng.uniform(0.1, 0.8) * np.exp(-square * 4 * np.log(2) / width**2)
        picture[row - 7 : row + 8, column - 7 : column + 8] += light[..., None] * rng.uniform(0.75, 1, 3)
    return picture + rng.normal(0, noise * LEVEL, picture.shape)


def with_hot_pixels(picture: np.ndarray, interpolate) -> np.ndarray:
    rng, heights = np.random.default_rng(2), np.zeros(picture.shape[:2], np.float32)
    heights[tuple(rng.integers(8, SIDE - 8, (2, 150)))] = rng.uniform(30, 220, 150) * LEVEL
    return picture + interpolate(heights)


def harms_of(picture: np.ndarray, **values) -> set[str]:
    engine, step = Engine(Source(stored(picture))), new_step("hot_pixels", "hot_pixels")
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    original = engine.plan(Document())
    return {finding.what for finding in judge(engine, plan, original, choose_patches(original.base)).harm}


@pytest.mark.parametrize("width", [1.8, 3.0])
def test_stars_are_counted_and_missed_when_they_go(width):
    before = stored(sky(width)) / np.float32(255)
    after = cv2.medianBlur(stored(before), 5) / np.float32(255)
    count, lost, _ = measure_stars(sides_of(before, before))
    assert count > 0.85 * STARS and lost == 0
    assert measure_stars(sides_of(before, after))[1] > 0.95 * count
    assert combine_stars([(count, lost, 0), (0, 0, 0)]) == 0.0 and combine_stars([(5, 5, 0)]) is None
    assert combine_stars([(27, 4, 0)]) < 0.1 < combine_stars([(27, 6, 0)])  # two of any number are lost by chance
    found = find_harms(Figures(stars_lost=0.4), [], [])
    assert [finding.text for finding in found] == ["40 % of the stars lost"]


def test_a_black_frame_makes_no_night_of_a_day():
    def framed(picture):
        picture[:, : 2 * SIDE // 3] = 0.0
        return stored(picture) / np.float32(255)

    night, day = (framed(picture) for picture in (sky(2.2), sky(2.2) + 0.4))
    assert measure_stars(sides_of(day, day))[0] == 0
    assert measure_stars(sides_of(night, night))[0] > STARS / 6


def test_a_sky_that_gets_darker_loses_no_stars():
    """Where black cuts off the noise of a sky, cleaning lowers the sky, but not the stars over it."""
    before = np.maximum(sky(2.2), 0)
    after = before - 0.06 * (before < 0.2)
    assert measure_stars(sides_of(before.astype(np.float32), after.astype(np.float32)))[1] == 0


@pytest.mark.parametrize("part", [-0.5, 1.5])
def test_softened_or_sharpened_stars_are_not_lost(part):
    before = (stored(sky(2.2)) / np.float32(255)).astype(np.float32)
    after = before + np.float32(part) * (before - cv2.GaussianBlur(before, (0, 0), 1.2))
    count, lost, _ = measure_stars(sides_of(before, after.clip(0, 1)))
    assert count > 0.85 * STARS and lost <= 0.02 * count


@pytest.mark.parametrize("interpolate", [camera.demosaic_fast, camera.demosaic_fine])
def test_hot_pixels_are_no_stars(interpolate):
    nothing = np.full((SIDE, SIDE, 3), 0.1) + np.random.default_rng(3).normal(0, 3 * LEVEL, (SIDE, SIDE, 3))
    assert measure_stars(sides_of(*[stored(with_hot_pixels(nothing, interpolate)) / np.float32(255)] * 2))[0] <= 1
    assert "stars_lost" not in harms_of(with_hot_pixels(sky(2.2), interpolate))


def test_a_step_that_takes_stars_is_told_of_and_eased():
    assert "stars_lost" in harms_of(sky(2.2), spare_stars=False)
    kind = kinds()["hot_pixels"]
    eased = kind.ease(replace(kind.params_type(), spare_stars=False), "stars_lost", None)
    assert eased.spare_stars and "stars_lost" not in harms_of(sky(2.2), spare_stars=eased.spare_stars)


def test_stars_that_cleaning_would_take_are_left_out_and_the_sky_is_cleaned_as_much():
    engine = Engine(Source(stored(sky(1.6, noise=16.0))))
    step, all_of_it = (
        new_step("noise", "noise"),
        {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0},
    )
    whole, original = Route((replace(step, params=replace(step.params, **all_of_it)),)), engine.plan(Document())
    spots = choose_patches(original.base)
    harm = {h.what for h in judge(engine, engine.plan(Document(whole)), original, spots).harm}
    spared = ease_route(engine, Document(whole))
    left = {h.what for h in judge(engine, engine.plan(Document(spared)), original, spots).harm}
    (eased,) = spared
    assert "stars_lost" in harm and "stars_lost" not in left
    assert eased.params == whole.find("noise").params and [part.kind for part in eased.where.parts] == ["stars"]
    rest = engine.render(engine.plan(Document(spared)), (0, 0, SIDE, SIDE))
    assert 1.4826 * np.median(np.abs(rest - np.median(rest, axis=(0, 1)))) < 2 * LEVEL


def test_clumps_of_noise_are_no_stars():
    """Where noise is uneven some of it stands far out of most: as often dark as bright."""
    rng = np.random.default_rng(5)
    clumps = cv2.GaussianBlur(rng.normal(0, 1, (SIDE, SIDE)), (0, 0), 1.1)
    loud = np.where(np.arange(SIDE) > 0.95 * SIDE, 14, 1.2) * LEVEL / clumps.std()
    picture = np.repeat((0.2 + loud * clumps)[..., None], 3, axis=2).clip(0, 1).astype(np.float32)
    calm = cv2.GaussianBlur(picture, (0, 0), 4)
    count, lost, dents = measure_stars(sides_of(picture, calm))
    assert lost >= 12 and dents > 0.2 * count and combine_stars([(count, lost, dents)]) is None
