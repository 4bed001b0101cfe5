"""Haze, smooth and black balance against known truth: a veil that was laid, medians of numbers, an added tint."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter, median_filter
from tests.conftest import psnr

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import to_opponent, tone_of
from dustpan.core.filters.smooth import gaussian, gaussian_reach, median
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.simulate.scenes import clean_picture, noisy_picture

LEVEL = 1 / 255


def run(pixels: np.ndarray, kind: str, **values) -> np.ndarray:
    engine = Engine(Source(pixels))
    step = new_step(kind, kind)
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    return engine.render(plan, (0, 0, *plan.size))


@pytest.fixture(scope="module")
def bench() -> np.ndarray:
    return clean_picture("bench", size=(720, 480), dtype=np.float32).pixels


@pytest.mark.parametrize("radius", [1, 2, 3, 9])
def test_median_is_that_of_the_numbers(bench, radius):
    tile = bench[100:220, 200:330] * np.float32(1.1) - np.float32(0.02)  # some beyond black and white
    truth = median_filter(tile, (2 * radius + 1, 2 * radius + 1, 1), mode="reflect")
    off = np.abs(median(tile, radius) - truth)
    assert off.max() < (1e-6 if radius <= 2 else 1.2 * LEVEL) and off.mean() < 0.3 * LEVEL
    middle = median(tile, radius + 0.5)
    assert np.allclose(middle, (median(tile, radius) + median(tile, radius + 1)) / 2, atol=1e-6)


@pytest.mark.parametrize("deviation", [0.5, 1.9, 2.1, 7.3, 32.0])
def test_gaussian_is_near_the_true_one(bench, deviation):
    tile = bench[:300, :300]
    truth = gaussian_filter(tile.astype(float), (deviation, deviation, 0), mode="reflect", truncate=6)
    off = np.abs(gaussian(tile, deviation) - truth)
    assert off.max() < (0.5 if deviation < 4 else 4) * LEVEL and off.mean() < 0.5 * LEVEL
    assert gaussian_reach(deviation) <= 3 * deviation + 4


def test_edge_keeping_evens_out_and_keeps_steps_and_the_threshold_keeps_what_is_larger():
    noise = np.random.default_rng(1).normal(0, 3 * LEVEL, (96, 96, 3))
    step = np.where(np.arange(96) < 48, 0.3, 0.7)[None, :, None] + noise
    kept = run(step.astype(np.float32), "smooth", method="edge_keeping", radius=12.0)
    assert kept[:, 10:40].std() < 0.4 * step[:, 10:40].std()
    assert np.diff(kept[:, 47:49].mean(axis=(0, 2)))[0] > 0.37
    soft = run(step.astype(np.float32), "smooth", method="gaussian", radius=8.0, threshold=10.0)
    assert soft[:, 10:40].std() < 0.3 * step[:, 10:40].std()
    assert np.array_equal(soft[:, 47:49], step[:, 47:49].astype(np.float32))


def test_black_balance_makes_tinted_darks_neutral_and_leaves_the_rest():
    rng = np.random.default_rng(3)
    tone = np.kron(rng.choice([0.02, 0.05, 0.09, 0.3, 0.6], (12, 16)), np.ones((30, 30)))
    place = np.linspace(-1, 1, tone.shape[1])[None, :, None]
    tint = np.array([4.0, -5.0, 1.0]) * LEVEL * (0.6 + 0.4 * place)
    picture = np.repeat(tone[..., None], 3, axis=2)
    picture = (picture + tint * np.clip(1 - picture / 0.3, 0, 1)).astype(np.float32)
    after = run(picture, "black_balance", strength=1.0, reach=20.0)
    left = after - tone_of(after)[..., None]
    for dark in (0.02, 0.05, 0.09):
        assert np.abs(left[tone == dark]).mean() < 0.5 * LEVEL
    assert np.abs(after - picture)[tone > 0.2].max() < 0.2 * LEVEL
    assert np.abs(tone_of(after) - tone_of(picture)).max() < 1e-6
    half = run(picture, "black_balance", strength=0.5, reach=20.0)
    assert np.allclose(half, (picture + after) / 2, atol=1e-6)


def hazy(clean: np.ndarray, far: np.ndarray, air: np.ndarray) -> np.ndarray:
    """A picture behind a veil: `far` is the part of its light that comes from the veil."""
    light = decode_curve(clean) * (1 - far[..., None]) + air * far[..., None]
    return encode_curve(light).astype(np.float32)


@pytest.fixture(scope="module")
def veiled(bench):
    far = np.repeat(np.linspace(0.75, 0.2, 480)[:, None], 720, axis=1)
    return hazy(bench, far, np.array([0.62, 0.68, 0.74]))


def test_haze_takes_the_veil_that_was_laid(bench, veiled):
    cleared = run(veiled, "haze", strength=1.0, even_out=0.0, sky_guard=0.0)
    assert psnr(np.clip(cleared, 0, 1), bench) > psnr(veiled, bench) + 6
    assert (cleared < -0.5 * LEVEL).mean() < 1e-3  # nothing is driven below black
    assert abs(run(veiled, "haze", strength=0.8, even_out=1.0).mean() / veiled.mean() - 1) < 0.03
    colours = [np.abs(to_opponent(picture)[1:]).mean() for picture in (veiled, cleared, bench)]
    assert abs(colours[1] / colours[2] - 1) < 0.35 < 1 - colours[0] / colours[2]


def test_haze_guards_the_sky(bench):
    picture = bench.copy()
    picture[:200] = np.linspace(0.8, 0.74, 200)[:, None, None] * np.array([0.95, 1.0, 1.05])
    guarded = run(picture, "haze", strength=0.6, sky_guard=1.0)
    assert np.abs(guarded - picture)[:170].max() < 2 * LEVEL
    assert np.abs(run(picture, "haze", strength=0.6, sky_guard=0.0) - picture)[:170].max() > 4 * LEVEL


@pytest.mark.parametrize("levels", [4, 8])
def test_noise_behind_haze_is_told_by_place(veiled, levels):
    rng = np.random.default_rng(5)
    pair = [(veiled + rng.normal(0, levels * LEVEL, veiled.shape)).astype(np.float32) for _ in range(2)]
    engine = Engine(Source(pair[0]))
    step = new_step("haze", "haze")
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, strength=0.9)),))))
    region = (0, 0, *plan.size)
    prepared = plan.all_prepared[-1]
    after = [Engine(Source(noisy)).render(plan_of(noisy, prepared.params), region) for noisy in pair]
    told = prepared.kind.carry(prepared.params, prepared.analysis, prepared.noise)
    for rows in (slice(20, 120), slice(360, 460)):
        own = to_opponent(after[0] - after[1])[0, rows] / np.sqrt(2)
        tone = tone_of(np.ascontiguousarray((after[0] + after[1])[rows] / 2))
        sigma = told.sigma(tone, (0, rows.start / 480, 1, rows.stop / 480))[0]
        assert np.sqrt((sigma**2).mean()) == pytest.approx(own.std(), rel=0.1)


def plan_of(noisy: np.ndarray, params):
    return Engine(Source(noisy)).plan(Document(Route((replace(new_step("haze", "haze"), params=params),))))


def route_of(*steps: tuple[str, dict]) -> Route:
    made = [(new_step(kind, kind), values) for kind, values in steps]
    return Route(tuple(replace(step, params=replace(step.params, **values)) for step, values in made))


def rendered(source: Source, route: Route) -> np.ndarray:
    engine = Engine(source)
    plan = engine.plan(Document(route))
    return engine.render(plan, (0, 0, *plan.size))


def test_the_hazy_belfry_is_lifted_cleared_and_then_cleaned_evenly():
    size = (600, 400)
    lift = ("exposure", {"ev": 3.0})
    clear = ("haze", {"strength": 0.8, "even_out": 1.0, "sky_guard": 1.0})
    lifted, truth = (
        rendered(clean_picture("belfry", size=size), route_of(*steps)) for steps in ([lift], [lift, clear])
    )
    assert abs(truth.mean() / lifted.mean() - 1) < 0.03
    noisy = noisy_picture("belfry", size=size, dtype=np.uint16)
    left = rendered(noisy, route_of(("hot_pixels", {}), lift, clear, ("noise", {}))) - truth
    loud = rendered(noisy, route_of(("hot_pixels", {}), lift, clear)) - truth
    tone = tone_of(truth)
    darks, middle = tone < 0.25, (tone >= 0.25) & (tone < 0.6)
    noise = [tone_of(left)[part].std() for part in (darks, middle)]
    assert noise[0] < 1.05 * noise[1] and noise[0] < 0.5 * tone_of(loud)[darks].std()
