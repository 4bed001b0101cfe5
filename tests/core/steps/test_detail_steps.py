"""High-pass, deblur, local contrast and grain: more detail without louder noise, without halos, the same in tiles."""

from __future__ import annotations

import itertools
from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage.restoration import richardson_lucy

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.deconvolve import kernel_of
from dustpan.core.filters.grain import draw_grain
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture

LEVEL = 1 / 255


def stored(picture: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)


def run(picture: np.ndarray, kind: str, *, mix: float = 1.0, **values) -> np.ndarray:
    engine = Engine(Source(stored(picture)))
    step = new_step(kind, kind)
    step = replace(step, params=replace(step.params, **values), mix=mix)
    plan = engine.plan(Document(Route((step,))))
    return engine.render(plan, (0, 0, *plan.size))


@pytest.fixture(scope="module")
def bench() -> np.ndarray:
    return clean_picture("bench", size=(1200, 800), dtype=np.float32).pixels[200:620, 100:740].copy()


def middle(picture: np.ndarray) -> np.ndarray:
    """Its middle frequencies, between 1.2 and 4 px."""
    tone = tone_of(np.ascontiguousarray(picture, np.float32))
    return cv2.GaussianBlur(tone, (0, 0), 1.2) - cv2.GaussianBlur(tone, (0, 0), 4)


def test_high_pass_raises_true_detail_and_not_the_noise(bench):
    noisy = bench + np.random.default_rng(1).normal(0, 10 * LEVEL, bench.shape)
    before = stored(noisy) / np.float32(255)
    after = run(noisy, "high_pass", radius=3.2, law="full", mix=0.55, clean=100.0)
    truth = middle(bench)
    strong = np.abs(truth) > 6 * LEVEL
    gain = [(middle(picture) * truth)[strong].sum() / (truth**2)[strong].sum() for picture in (before, after)]
    assert gain[1] > 1.25 * gain[0]
    tone = tone_of(bench)
    calm = cv2.GaussianBlur((tone - cv2.GaussianBlur(tone, (0, 0), 3)) ** 2, (0, 0), 6) < (1.0 * LEVEL) ** 2
    noise = [(tone_of(picture) - tone)[calm].std() for picture in (before, after)]
    assert calm.mean() > 0.1 and noise[1] < 1.1 * noise[0]


def test_high_pass_without_colour_moves_none_and_its_laws_grow_in_order(bench):
    moved = {}
    for law in ("gentle", "firm", "full"):
        result = run(bench, "high_pass", law=law, clean=0.0)
        moved[law] = np.abs(result - stored(bench) / np.float32(255)).mean()
    assert 0 < moved["gentle"] < moved["firm"] < moved["full"]
    steep = run(bench, "high_pass", law="full", clean=0.0, steepen=1.0)
    assert np.abs(steep - stored(bench) / np.float32(255)).mean() > 1.1 * moved["full"]
    full = run(bench, "high_pass", law="full", clean=0.0) - stored(bench) / np.float32(255)
    assert np.abs(full - full.mean(axis=2, keepdims=True)).max() < 1e-5


def test_local_contrast_makes_no_halo_and_no_noise():
    x = np.arange(600)
    edge = np.where(x < 300, 0.2, 0.75)[None, :, None] * np.ones((400, 1, 3))
    result = run(edge, "local_contrast", amount=1.0)
    tone = tone_of(result)[200]
    assert tone[:290].max() - tone[:290].min() < 0.02 and tone[310:].max() - tone[310:].min() < 0.02
    flat = 0.4 + np.random.default_rng(2).normal(0, 6 * LEVEL, (400, 600, 3))
    before, after = tone_of(stored(flat) / np.float32(255)), tone_of(run(flat, "local_contrast", amount=1.0))
    assert after.std() < 1.08 * before.std()


def test_every_radius_of_local_contrast_counts_also_on_a_very_long_picture():
    y, x = np.mgrid[0:160, 0:6000]
    long = np.repeat((0.5 + 0.08 * np.sin(x / 7.0) * np.sin(y / 7.0) + 0.04 * np.sin(x / 90.0))[..., None], 3, axis=2)
    raised = []
    for radius in (4.0, 6.0, 9.0, 17.0, 40.0, 48.0, 49.0, 80.0):
        engine, step = Engine(Source(stored(long))), new_step("local_contrast", "local_contrast")
        plan = engine.plan(Document(Route((replace(step, params=replace(step.params, radius=radius)),))))
        part = tone_of(engine.render(plan, (2000, 0, 2400, 160)))
        raised.append(float((part - tone_of(stored(long)[:, 2000:2400] / np.float32(255))).std() / LEVEL))
    assert all(later > 1.2 * earlier for earlier, later in itertools.pairwise(raised[:4]))
    assert raised[6] == pytest.approx(raised[5], rel=0.1)  # no jump from tiles to planes


def test_the_noise_behind_local_contrast_is_told_for_its_blending():
    flat = 0.45 + np.random.default_rng(5).normal(0, 6 * LEVEL, (300, 320, 3))
    for law in ("luminance_only", "linear_light"):
        engine, step = Engine(Source(stored(flat))), replace(new_step("local_contrast", "local_contrast"), blend=law)
        plan = engine.plan(Document(Route((step,))))
        true = tone_of(engine.render(plan, (0, 0, 320, 300)))[20:-20, 20:-20].std()
        told = plan.noise_after.sigma(np.full((1, 1), 0.45, np.float32), (0, 0, 1, 1))[0, 0, 0] / 3**0.5
        assert told == pytest.approx(true, rel=0.1)


def test_local_contrast_sets_parts_off_and_evens_out(bench):
    def contrast(picture):
        tone = tone_of(np.ascontiguousarray(picture, np.float32))
        return (cv2.GaussianBlur(tone, (0, 0), 3) - cv2.GaussianBlur(tone, (0, 0), 20)).std()

    plain = contrast(stored(bench) / np.float32(255))
    assert contrast(run(bench, "local_contrast", amount=-0.6)) < 0.97 * plain
    assert contrast(run(bench, "local_contrast", amount=1.0)) > 1.06 * plain
    darks_left = run(bench, "local_contrast", amount=1.0, shadows=0.0)
    dark = tone_of(cv2.GaussianBlur(bench, (0, 0), 12)) < 0.12
    everywhere = run(bench, "local_contrast", amount=1.0)
    moved = [np.abs(picture - stored(bench) / np.float32(255))[dark].mean() for picture in (darks_left, everywhere)]
    assert moved[0] < 0.6 * moved[1]


@pytest.mark.parametrize("size", [0.5, 1.0, 3.0])
def test_grain_is_as_strong_as_it_says_and_told_by_its_place(size):
    whole = draw_grain((0, 0, 400, 300), size=size, seed=7)
    assert whole.std() == pytest.approx(1, abs=0.06) and abs(whole.mean()) < 0.03
    part = draw_grain((133, 61, 290, 222), size=size, seed=7)
    assert np.array_equal(part, whole[61:222, 133:290])
    other = draw_grain((0, 0, 400, 300), size=size, seed=8)
    assert abs(np.corrcoef(whole.ravel(), other.ravel())[0, 1]) < 0.05
    near = np.corrcoef(whole[:, 1:].ravel(), whole[:, :-1].ravel())[0, 1]
    assert near < 0.05 if size < 0.8 else near > 0.2


def test_grain_is_weak_in_black_and_white_and_grey_unless_colour_is_asked():
    tones = np.repeat(np.array([0.02, 0.5, 0.97]), 200)[None, :, None] * np.ones((200, 1, 3))
    result = run(tones, "grain", amount=50.0)
    spread = [(result - stored(tones) / np.float32(255))[:, start : start + 200, 1].std() for start in (0, 200, 400)]
    assert spread[1] == pytest.approx(8 * LEVEL, rel=0.1) and max(spread[0], spread[2]) < 0.5 * spread[1]
    added = result - stored(tones) / np.float32(255)
    assert np.abs(added - added.mean(axis=2, keepdims=True)).max() < 1e-5
    coloured = run(tones, "grain", amount=50.0, colour=1.0) - stored(tones) / np.float32(255)
    red, blue = coloured[:, 200:400, 0].ravel(), coloured[:, 200:400, 2].ravel()
    assert abs(np.corrcoef(red, blue)[0, 1]) < 0.1 and red.std() == pytest.approx(8 * LEVEL, rel=0.1)


def blurred(picture: np.ndarray, deviation: float) -> np.ndarray:
    """A picture blurred in linear light, with noise of one level."""
    light = cv2.GaussianBlur(decode_curve(np.asarray(picture, np.float32)), (0, 0), deviation)
    return encode_curve(light) + np.random.default_rng(4).normal(0, LEVEL, picture.shape)


def error(picture: np.ndarray, truth: np.ndarray) -> float:
    return float(np.mean((tone_of(np.ascontiguousarray(picture, np.float32)) - tone_of(truth)) ** 2))


def test_deblurring_comes_closer_to_the_truth_and_tells_the_blur(bench):
    soft = blurred(bench, 1.5)
    result = run(soft, "deblur", radius=1.5)
    assert 10 * np.log10(error(stored(soft) / np.float32(255), bench) / error(result, bench)) > 1.5
    engine = Engine(Source(stored(soft)))
    survey = engine.survey(engine.plan(Document()))
    assert kinds()["deblur"].measured(survey).radius == pytest.approx(1.5, abs=0.45)


@pytest.mark.parametrize("radius", [3.0, 6.0])
def test_wide_blurs_are_taken_back_as_far_as_by_a_general_library(bench, radius):
    truth = tone_of(bench)
    soft = cv2.GaussianBlur(decode_curve(bench), (0, 0), radius)
    found = run(encode_curve(soft), "deblur", radius=radius, iterations=60)
    plain = run(encode_curve(soft), "deblur", radius=radius, iterations=5)
    general = richardson_lucy(
        decode_curve(tone_of(encode_curve(soft))), kernel_of("gaussian", radius, 0.0), num_iter=60, clip=False
    )
    assert error(found, bench) < np.mean((encode_curve(np.maximum(general, 0)) - truth) ** 2)
    assert error(found, bench) < 0.95 * error(plain, bench)  # more iterations take more of the blur back


def test_more_damping_leaves_more_noise_alone():
    noisy = 0.4 + np.random.default_rng(2).normal(0, 5 * LEVEL, (200, 240, 3))
    left = [tone_of(run(noisy, "deblur", radius=1.5, damping=damping)).std() for damping in (0.0, 0.5, 1.0)]
    assert left[0] > 1.3 * left[1] > 1.3 * 1.1 * left[2]


@pytest.mark.parametrize(("shape", "angle"), [("disc", 0.0), ("motion", 0.0), ("motion", 60.0)])
def test_other_blurs_are_taken_back_by_their_own_shape_alone(bench, shape, angle):
    kernel = kernel_of(shape, 3.0, angle)
    assert kernel.sum() == pytest.approx(1, abs=1e-5) and np.allclose(kernel, kernel[::-1, ::-1], atol=1e-6)
    soft = encode_curve(cv2.filter2D(decode_curve(bench), -1, kernel))
    right = error(run(soft, "deblur", shape=shape, radius=3.0, angle=angle), bench)
    assert right < 0.7 * error(stored(soft) / np.float32(255), bench)
    if shape == "motion":
        assert right < 0.8 * error(run(soft, "deblur", shape=shape, radius=3.0, angle=(angle + 90) % 180), bench)


def test_edges_do_not_ring_and_stars_keep_their_light_without_dark_rings():
    edge = np.where(np.arange(400) < 200, 0.2, 0.75)[None, :, None] * np.ones((300, 1, 3))
    tone = tone_of(run(blurred(edge, 1.5), "deblur", radius=1.5)).mean(axis=0)
    assert max(tone[204:230].max() - 0.75, 0.2 - tone[170:196].min()) < 0.02 * 0.55
    light = np.full((300, 300, 3), decode_curve(np.float32(0.1)), np.float32)
    rng = np.random.default_rng(3)
    places = [(40 + 60 * (n // 5), 40 + 55 * (n % 5)) for n in range(25)]
    for row, column in places:
        light[row, column] += rng.uniform(0.5, 2)  # no peak comes to white, where light would have to be lost
    sky = encode_curve(cv2.GaussianBlur(light, (0, 0), 1.5)) + rng.normal(0, LEVEL, light.shape)
    result = run(sky, "deblur", radius=1.5)
    kept, peaks, around = [], [], []
    for row, column in places:
        window = np.s_[row - 8 : row + 9, column - 8 : column + 9]
        before, after = stored(sky)[window] / np.float32(255), np.clip(result[window], 0, None)
        floor = decode_curve(np.float32(0.1))
        kept.append((decode_curve(after) - floor).sum() / (decode_curve(before) - floor).sum())
        peaks.append(after.max() / before.max())
        around.append(tone_of(np.ascontiguousarray(after)))
    assert np.min(around) > 0.1 - 9 * LEVEL and np.mean(around, axis=0).min() > 0.1 - 2 * LEVEL
    assert np.median(kept) == pytest.approx(1, abs=0.02) and np.median(peaks) > 1.4
