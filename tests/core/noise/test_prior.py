"""Noise told from everything that blocks show: in texture, in JPEGs, where black and white cut it off."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.conftest import with_white_noise
from training.kinds import as_jpeg
from training.samples import draw

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import OPPONENT, to_opponent
from dustpan.core.filters.cut_off import cut_off_mean, hold_within, restore_cut_off
from dustpan.core.filters.light_mean import SUPPORT, restore_light_mean
from dustpan.core.noise.law import added_noise, light_sureness
from dustpan.core.noise.measure import estimate_noise
from dustpan.core.noise.measured_blocks import kept_by_planes
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.noise.prior import COEFFICIENTS, TARGET_FLOOR
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.pyramid import reduce_picture
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import noisy_picture


def weave(truth: np.ndarray) -> np.ndarray:
    """A picture without one flat place, harder than photographs: fine and coarse structure all over the bench."""
    rng, total = np.random.default_rng(3), np.zeros(truth.shape[:2], np.float32)
    for blur in (0.7, 1.5, 3.0, 6.0):
        layer = cv2.GaussianBlur(rng.standard_normal(total.shape).astype(np.float32), (0, 0), blur)
        total += layer / layer.std() * np.float32(0.03 * blur**0.5)
    strength = 0.3 + cv2.GaussianBlur(truth.mean(axis=2), (0, 0), 9.0)
    return np.clip(0.2 + 0.6 * truth + (total * strength)[..., None], 0.02, 0.98)


@pytest.mark.parametrize("levels", [3, 10, 30])
def test_texture_is_not_taken_for_noise(truth, levels):
    busy = weave(truth)
    assert estimate_noise([busy]).luminance < 10
    model = estimate_noise([to_working(with_white_noise(busy, levels))])
    assert model.luminance == pytest.approx(levels, rel=0.35 if levels < 10 else 0.15)
    assert model.colour == pytest.approx(levels, rel=0.35 if levels < 10 else 0.15)


@pytest.mark.parametrize("levels", [5, 15])
def test_white_noise_is_told_in_grass(levels):
    """Blades everywhere, as fine as noise: luminance alone has nothing to tell it by."""
    rng = np.random.default_rng(2)
    light = np.full((800, 800, 3), 0.2, np.float32)
    for (x, y), turn, tone in zip(rng.uniform(0, 800, (40_000, 2)), rng.normal(1.5, 0.4, 40_000), rng.random(40_000)):
        end = round(x + 24 * np.cos(turn)), round(y + 24 * np.sin(turn))
        cv2.line(light, (round(x), round(y)), end, (0.2 + 0.7 * tone,) * 3)
    grass = cv2.GaussianBlur(cv2.resize(light, (400, 400), interpolation=cv2.INTER_AREA), (0, 0), 0.6)
    model = estimate_noise([to_working(with_white_noise(grass, levels))])
    assert abs(np.log(model.luminance / levels)) < max(0.12, model.doubt[0]) < 0.7


def test_what_is_alike_everywhere_is_noise_only_if_it_looks_like_noise():
    rng = np.random.default_rng(0)
    y, x = np.mgrid[-1:1:400j, -1:1:400j]
    far = np.hypot(x, y)
    planes = np.degrees(np.arctan2(y, x)) + 180, np.minimum(2 * far, 1), np.clip(2 - 2 * far, 0, 1)
    wheel = cv2.cvtColor(np.stack(planes, axis=-1).astype(np.float32), cv2.COLOR_HSV2RGB)
    stones = np.full((400, 400), 0.3, np.float32)
    for at, half, turn, tone in zip(
        rng.uniform(0, 400, (9000, 2)),
        rng.uniform((2, 1), (8, 4), (9000, 2)),
        rng.uniform(0, 180, 9000),
        rng.uniform(0.1, 0.9, 9000),
        strict=True,
    ):
        cv2.ellipse(stones, (at.tolist(), (2 * half).tolist(), turn), float(tone), -1)
    grey = np.repeat(cv2.GaussianBlur(stones, (0, 0), 0.7)[..., None], 3, axis=2)
    for picture in (wheel, grey):
        assert estimate_noise([to_working(with_white_noise(picture, 0))]).luminance < 15
    assert estimate_noise([to_working(with_white_noise(np.full_like(grey, 0.4), 8))]).luminance == pytest.approx(
        8, 0.04
    )


@pytest.mark.parametrize("known", [True, False])
def test_noise_that_a_jpeg_keeps_is_told(known):
    """Most fine coefficients of a flat place are 0 then and a few a whole step: their power is told nevertheless."""
    flat = np.full((320, 480, 3), 0.4, np.float32)
    stored, compression = as_jpeg(with_white_noise(flat, 6), 80)
    pixels = to_working(stored)
    model = estimate_noise([pixels], compression if known else None)
    assert model.luminance == pytest.approx(6, rel=0.35)


def test_a_sample_tells_the_noise_that_was_put_on(truth, tmp_path):
    path = tmp_path / "bench.png"
    Image.fromarray((truth * 255 + 0.5).astype(np.uint8)).save(path)
    samples = [draw(number, (path,)) for number in range(8)]
    again = draw(3, (path,))
    assert all(np.array_equal(*pair) for pair in zip(samples[3], again))
    for sample in samples:
        kind, _, deviation = sample.facts
        fine = np.exp(sample.targets[: COEFFICIENTS // 3].reshape(3, 63)) - TARGET_FLOOR
        assert np.sqrt(fine[0].mean()) * DISPLAY == pytest.approx(deviation, rel=0.02, abs=0.05)
        if kind == 0:  # white, before a compression too
            shape = fine.reshape(3, 63) / fine.mean(axis=1, keepdims=True)
            assert np.allclose(shape[:, ::9], 1, atol=0.25)


def test_the_law_of_added_noise_is_told_from_that_of_a_camera(truth):
    model = Engine(Source(with_white_noise(truth, 20))).noise
    found = added_noise(model)
    assert found.sure > 0.9 and np.allclose(found.channels * DISPLAY, 20, rtol=0.15)
    halved = replace(model, sigma=np.where(TONES < 0.1, 0.5, 1) * model.sigma)  # as black cuts it off
    assert np.allclose(found.uncut(halved).sigma[0], found.planes[:, None], rtol=0.2)
    assert added_noise(noisy_picture_noise()).sure == 0


def noisy_picture_noise():
    return Engine(noisy_picture("bench", iso=12800, size=(720, 480))).noise


@pytest.mark.parametrize("deviation", [0.02, 0.1, 0.25])
def test_cut_off_means_are_those_of_a_draw_and_are_undone(deviation):
    tones = np.linspace(0, 1, 11, dtype=np.float32)
    noise = np.random.default_rng(0).normal(0, deviation, (200_000, 1))
    drawn = np.clip(tones + noise, 0, 1).mean(axis=0)
    assert np.allclose(cut_off_mean(tones.astype(float), deviation), drawn, atol=2e-3)
    flat = np.broadcast_to(drawn[:, None, None], (11, 8, 3)).astype(np.float32)
    restored = restore_cut_off(flat, np.full(3, deviation, np.float32), (1.0, 1.0))
    assert np.allclose(restored[:, 4], tones[:, None], atol=4e-3)


def test_cleaning_passes_black_and_white_no_farther_than_noise_around_does():
    rng = np.random.default_rng(4)
    noisy = rng.uniform(0.3, 0.98, (40, 50, 3)).astype(np.float32)
    noisy[20:, :, 1] = 1.2
    noisy[:, 25:, 2] = -0.1
    cleaned = rng.uniform(-0.4, 1.4, noisy.shape).astype(np.float32)
    held, far = hold_within(noisy, cleaned), np.abs(cleaned - 0.5) > 0.5
    assert np.array_equal(held[~far], cleaned[~far]) and (held[:12, :, 0] < 1).all() and (held[:, :18] > 0).all()
    assert held[24:, :, 1].max() == np.float32(1.2) and held[:, 30:, 2].min() == np.float32(-0.1)
    lowest, highest = (search(noisy, np.ones((9, 9), np.uint8)) for search in (cv2.erode, cv2.dilate))
    wanted = np.where(cleaned > 0.5, np.minimum(cleaned, highest), np.maximum(cleaned, lowest))
    assert np.array_equal(held[far], wanted[far])


def test_darks_and_saturated_colours_come_back():
    """Smooth darks within 1.2 levels of the truth, and the hue of saturated areas within a degree."""
    y, x = np.mgrid[0:360, 0:480] / 480
    dark = np.repeat((0.02 + 0.3 * x * y)[..., None], 3, axis=2).astype(np.float32)
    orange = np.array([0.9, 0.45, 0.03], np.float32)
    scene = np.where((y < 0.15)[..., None], orange, dark)
    cleaned = clean(with_white_noise(scene, 25))
    shadows = dark.mean(axis=2)[120:] < 0.08
    assert abs((cleaned - scene)[120:][shadows].mean()) * DISPLAY < 1.2
    found = cleaned[16:56, 16:-16].reshape(-1, 3).mean(axis=0)
    assert abs(hue(found) - hue(orange)) < 1


def clean(pixels: np.ndarray) -> np.ndarray:
    params = kinds()["noise"].params_type(auto=False, luminance=100.0, colour=100.0, detail_return=0.0)
    engine = Engine(Source(pixels))
    plan = engine.plan(Document(Route((replace(new_step("noise", "noise"), params=params),))))
    return engine.render(plan, (0, 0, *plan.size))


def hue(colour: np.ndarray) -> float:
    _, first, second = to_opponent(colour[None, None])[:, 0, 0]
    return float(np.degrees(np.arctan2(second, first)))


def test_the_engine_is_kept_on_automatic():
    kind = kinds()["noise"]
    measured = kind.params_type(luminance=12.0)
    resolved = kind.resolve(kind.params_type(auto=True, engine="thorough"), measured)
    assert (resolved.engine, resolved.luminance, resolved.auto) == ("thorough", 12.0, True)


@pytest.mark.parametrize("tone", [0.2, 0.35, 0.6])
@pytest.mark.parametrize("strengths", [(1.0, 1.0), (0.5, 0.5)])
def test_means_of_noise_in_light_come_back(tone, strengths):
    """In every channel by its own noise; half of the noise taken away brings half of the light back."""
    rng, shape = np.random.default_rng(4), (96, 128, 3)
    light = decode_curve(np.full(shape, tone, np.float32))
    noise = rng.normal(0, 1, shape) * np.array([0.2, 0.3, 0.5]) * light
    noisy = encode_curve(np.maximum(light + noise, 0).astype(np.float32))
    mean = noisy.mean(axis=(0, 1), keepdims=True)
    cleaned = (noisy + strengths[0] * (mean - noisy)).astype(np.float32)
    power = np.full(shape[:2], noisy.var(axis=(0, 1)).sum(), np.float32)
    restored = restore_light_mean(noisy, cleaned, power, strengths=strengths, louder=np.ones(3))
    off, left = (tone - picture.mean(axis=(0, 1)) for picture in (noisy, restored))
    assert off[2] > 0.01 and np.allclose(left, (1 - strengths[0]) * off, atol=0.2 * off[2])


def test_specks_do_not_pass_for_noise_in_light():
    """Next to a bright speck nothing is lifted."""
    noisy = np.full((64, 64, 3), 0.2, np.float32)
    noisy[32, 32] = 1.0
    cleaned, power = np.full_like(noisy, 0.2), np.full((64, 64), 3 * 0.02**2, np.float32)
    restored = restore_light_mean(noisy, cleaned, power, strengths=(1.0, 1.0), louder=np.ones(3))
    assert np.abs(restored - cleaned).max() < 0.5 / 255


@pytest.mark.parametrize("width", [576, 563])
def test_restored_light_does_not_depend_on_where_a_tile_begins(width):
    rng = np.random.default_rng(1)
    noisy, cleaned = (rng.normal(0.1, spread, (64, width, 3)).astype(np.float32) for spread in (0.08, 0.01))
    power = np.full((64, width), 0.01, np.float32)

    def restored(first: int) -> np.ndarray:
        tile = (np.ascontiguousarray(plane[:, first:]) for plane in (noisy, cleaned, power))
        return restore_light_mean(*tile, strengths=(1.0, 1.0), louder=np.ones(3))

    whole = restored(0)
    for first in (8, 16, 120, 328):
        assert np.array_equal(restored(first)[:, SUPPORT:], whole[:, first + SUPPORT :])


def test_noise_in_light_is_told_from_noise_added_to_display_values(truth):
    camera = estimate_noise([to_working(noisy_picture("bench", iso=12800, seed=2, size=truth.shape[1::-1]).pixels)])
    assert light_sureness(camera) > 0.9
    assert light_sureness(estimate_noise([with_white_noise(truth, 15, 1)])) < 0.1


def test_noise_that_is_cut_off_everywhere_is_told_as_it_was():
    """Red is blown and blue is black all over, as in a saturated flower."""
    rng, ramp = np.random.default_rng(6), np.linspace(0.2, 0.7, 384, dtype=np.float32)
    picture = np.stack([np.full((256, 384), 0.99, np.float32), np.tile(ramp, (256, 1)), np.zeros((256, 384))], axis=2)
    noisy = np.clip(picture + rng.normal(0, 20 / 255, picture.shape), 0, 1).astype(np.float32)
    assert 17.5 < estimate_noise([noisy]).luminance < 22.5


@pytest.mark.parametrize("share", [0.03, 0.2, 0.5, 0.8])
def test_what_black_leaves_of_noise_is_told_by_its_share(share):
    """Each plane keeps what its channels keep, weighed as they go into it."""
    noise = np.random.default_rng(3).normal(0, 1, 400_000)
    cut = np.maximum(noise - np.quantile(noise, share), 0)
    kept = kept_by_planes(np.array([[share, 0.0, 0.0], [share, share, share]]))
    assert kept[1] == pytest.approx(float(cut.var()), abs=0.01)
    assert kept[0] == pytest.approx(1 - (1 - cut.var()) * OPPONENT[:, 0] ** 2, abs=0.01)


@pytest.mark.parametrize("level", [1, 2])
def test_drafts_have_the_light_of_the_result(level):
    """Noise is weaker in a reduced picture, but its mean has been moved before."""
    engine = Engine(noisy_picture("bench", iso=12800, size=(720, 480)))
    params = kinds()["noise"].params_type(auto=False, luminance=100.0, colour=100.0, detail_return=0.0, blotch=2.0)
    plan = engine.plan(Document(Route((replace(new_step("noise", "noise"), params=params),))))
    exact = reduce_picture(engine.render(plan, (0, 0, *plan.size)), level)
    draft = engine.render(plan.at(level), (0, 0, *plan.at(level).size))
    for low, high in ((0.05, 0.15), (0.15, 0.3), (0.3, 0.6)):
        there = (exact.mean(axis=2) >= low) & (exact.mean(axis=2) < high)
        assert np.abs((draft - exact)[there].mean(axis=0)).max() * DISPLAY < 3
