"""The compiled loops against plain arithmetic that is too slow to ship, and patches against whole copies."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.fft import dctn, idctn

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.dct import HARD_THRESHOLD, clean_plane, window_mean
from dustpan.core.filters.detail import structured_part
from dustpan.core.filters.quick import Cleaning, clean_tile, support
from dustpan.core.kernels.specks import _ring_median, judge_specks, mark_standing
from dustpan.core.picture.base import ChangedBase, WholeBase
from dustpan.core.picture.changed import ChangedPixels
from dustpan.core.picture.pyramid import reduce_picture
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import map_shared


def plainly_cleaned(plane, level, spectrum, *, passes: int, strength: float) -> np.ndarray:
    """The two passes of the sliding transform, patch by patch, in double precision.

    Where a patch holds more than a few coefficients with signal, noise counts for less.
    """

    def one_pass(pilot, gain_of, eased, least=0.0):
        sums, weights = np.zeros(plane.shape), np.zeros(plane.shape)
        for y in range(0, plane.shape[0] - 7, 2):
            for x in range(0, plane.shape[1] - 7, 2):
                patch, guide = (dctn(p[y : y + 8, x : x + 8], norm="ortho") for p in (plane, pilot))
                noise = level[y // 2, x // 2] * spectrum
                signal = gain_of(patch, guide, noise)
                busy = np.interp(signal.sum() - signal[0, 0], [1.2, 4.6], [0, 1])
                gain = gain_of(patch, guide, noise * (1 - eased * busy))
                gain = np.maximum(gain, least)
                gain[0, 0] = 1
                weight = 1 / ((gain**2 * spectrum**2).sum() * level[y // 2, x // 2] ** 2 + 1e-9)
                sums[y : y + 8, x : x + 8] += weight * idctn(patch * gain, norm="ortho")
                weights[y : y + 8, x : x + 8] += weight
        return sums / weights

    pilot = one_pass(plane, lambda patch, guide, noise: (np.abs(patch) > HARD_THRESHOLD * noise).astype(float), 0.15)
    if passes == 1:
        return plane + strength * (pilot - plane)

    def share(patch, guide, noise):
        return guide**2 / (guide**2 + (strength * noise) ** 2 + 1e-12)

    return one_pass(pilot, share, 0.3, 1 - strength)


@pytest.mark.parametrize(("passes", "strength"), [(1, 1.0), (1, 0.4), (2, 1.0), (2, 0.6)])
def test_the_sliding_transform_is_what_it_says(passes, strength):
    rng = np.random.default_rng(2)
    plane = (np.add.outer(np.arange(40), np.arange(48)) / 60 + rng.normal(0, 0.1, (40, 48))).astype(np.float32)
    sigma = rng.uniform(0.05, 0.15, (20, 24)).astype(np.float32)
    spectrum = rng.uniform(0.4, 1.6, (8, 8)).astype(np.float32)
    fast = clean_plane(plane, sigma=sigma, spectrum=spectrum, strength=strength, passes=passes)
    slow = plainly_cleaned(plane.astype(float), sigma, spectrum, passes=passes, strength=strength)
    assert np.abs(fast - slow).max() < 2e-5


@given(left=st.integers(0, 200), width=st.integers(20, 180))
@settings(max_examples=25, deadline=None)
def test_where_a_tile_begins_changes_no_bit_of_its_middle(left, width):
    left, width = 2 * (left // 2), 2 * (width // 2)
    rng = np.random.default_rng(4)
    plane = rng.normal(0.5, 0.1, (24, 420)).astype(np.float32)
    sigma, spectrum = np.full((12, 210), 0.1, np.float32), np.ones((8, 8), np.float32)
    whole = clean_plane(plane, sigma=sigma, spectrum=spectrum)
    cut = plane[:, left : left + width]
    part = clean_plane(cut, sigma=sigma[:, left // 2 : (left + width) // 2], spectrum=spectrum, left=left)
    rim = 16
    assert np.array_equal(part[:, rim : width - rim], whole[:, left + rim : left + width - rim])


@pytest.mark.parametrize("scales", [1, 2, 3])
def test_a_tile_is_cleaned_alike_with_and_without_neighbours(scales):
    rng = np.random.default_rng(6)
    picture = rng.normal(0.5, 0.08, (160, 208, 3)).astype(np.float32)
    cleaning = Cleaning(
        sigma=lambda tone, scale, region: np.full((3, *tone.shape), 0.08 / 2**scale, np.float32),
        spectrum=np.ones((3, 3, 8, 8), np.float32),
        strengths=(0.8, 1.0),
        scales=scales,
    )
    whole = clean_tile(picture, cleaning)
    reach = support(scales)
    for ends, x0, x1 in (((True, True, False, True), 0, 152), ((False, True, True, True), 64, 208)):
        part = clean_tile(picture[:, x0:x1], cleaning, ends=ends, left=x0)
        inner = slice(0 if ends[0] else reach, (x1 - x0) if ends[2] else x1 - x0 - reach)
        assert np.array_equal(part[:, inner], whole[:, x0:x1][:, inner])
    assert whole.std() < 0.6 * picture.std()


@given(st.integers(0, 2**32 - 1), st.booleans())
@settings(max_examples=40, deadline=None)
def test_ring_medians_are_medians(seed, ties):
    rng = np.random.default_rng(seed)
    tile = rng.normal(0, 1, (7, 7, 3)).astype(np.float32)
    tile = np.round(tile) if ties else tile
    ring = np.ones((7, 7), bool)
    ring[1:6, 1:6] = False
    for channel, values in enumerate(
        (*np.moveaxis(tile, 2, 0), tile[..., 0] - tile[..., 1], tile[..., 2] - tile[..., 1])
    ):
        middle, spread = _ring_median(tile, 3, 3, channel, np.empty(24, np.float32))
        assert middle == pytest.approx(np.median(values[ring]), abs=1e-6)
        assert spread == pytest.approx(np.median(np.abs(values[ring] - middle)), abs=1e-6)


@pytest.mark.parametrize("sign", [1, -1])
def test_what_stands_out_is_a_peak_clear_of_three_of_four(sign):
    rng = np.random.default_rng(9)
    plane = rng.normal(0, 1, (40, 60)).astype(np.float32)
    room = rng.uniform(0.2, 1.5, plane.shape).astype(np.float32)
    standing = np.zeros_like(plane)
    mark_standing(plane, room, np.float32(sign), standing)
    p, expected = sign * plane, np.zeros_like(plane)
    for y in range(3, 37):
        for x in range(3, 57):
            near = [p[y - 1, x], p[y + 1, x], p[y, x - 1], p[y, x + 1]]
            ring = [p[y - 3, x], p[y + 3, x], p[y, x - 3], p[y, x + 3]]
            clear = sum(p[y, x] - v > room[y, x] for v in ring)
            expected[y, x] = sign if p[y, x] >= max(near) and clear >= 3 else 0
    assert np.array_equal(standing, expected) and 0.01 < (standing != 0).mean() < 0.3


def test_no_speck_is_passed_over_by_the_quick_look():
    rng = np.random.default_rng(12)
    tile = rng.normal(0.4, 0.03, (64, 64, 3)).astype(np.float32)
    tile[rng.integers(4, 60, 40), rng.integers(4, 60, 40), rng.integers(0, 3, 40)] += 0.5
    sigma = np.full((3, 64, 64), 0.03, np.float32)
    everywhere = np.ones(tile.shape[:2], np.float32)
    places = np.ascontiguousarray(np.argwhere(np.pad(np.ones((58, 58)), 3) > 0))
    thorough = np.zeros(tile.shape[:2], np.bool_)
    judge_specks(tile, sigma, places, everywhere, np.float32(6), True, True, thorough)
    from dustpan.core.filters.specks import BRIGHT, find_by_ring

    quick = find_by_ring(tile, sigma=sigma, sensitivity=6.0, polarity=BRIGHT, coloured=True, spare_stars=True)
    assert thorough.sum() > 20 and (quick & thorough).sum() >= 0.97 * thorough.sum() and not (quick & ~thorough).any()


def test_window_means_are_means_of_patches():
    plane = np.random.default_rng(1).random((32, 40)).astype(np.float32)
    means = window_mean(plane)
    for y, x in ((0, 0), (4, 10), (12, 16)):
        assert means[y, x] == pytest.approx(plane[2 * y : 2 * y + 8, 2 * x : 2 * x + 8].mean(), abs=1e-6)


def test_lines_are_given_back_and_noise_is_not():
    rng = np.random.default_rng(3)
    noise = rng.normal(0, 0.03, (128, 128)).astype(np.float32)
    lines = 0.08 * np.sin(np.arange(128) / 1.5).astype(np.float32)[None].repeat(128, 0)
    sigma = np.full((128, 128), 0.03, np.float32)
    alone, both = structured_part(noise, sigma=sigma), structured_part(noise + lines, sigma=sigma)
    assert alone.std() < 0.2 * noise.std()
    assert np.corrcoef(both.ravel(), lines.ravel())[0, 1] > 0.9 and both.std() > 0.6 * lines.std()


@given(st.integers(0, 2**32 - 1), st.integers(3, 90), st.integers(3, 70), st.integers(0, 60))
@settings(max_examples=40, deadline=None)
def test_changed_pixels_are_the_whole_copy_at_every_level(seed, width, height, many):
    rng = np.random.default_rng(seed)
    below = rng.random((height, width, 3)).astype(np.float32)
    index = np.sort(rng.choice(width * height, min(many, width * height), replace=False))
    values = rng.random((len(index), 3)).astype(np.float32)
    whole = below.copy()
    whole.reshape(-1, 3)[index] = values
    halves = np.array_split(np.arange(len(index)), 3)
    parts = [(index[h], values[h]) for h in reversed(halves)]
    base = ChangedBase("above", WholeBase("below", below), ChangedPixels.gather((width, height), parts))
    for level in range(4):
        expected = reduce_picture(whole, level)
        size = base.size_at(level)
        assert np.abs(base.read((0, 0, *size), level) - expected).max() < 1e-6
        x0, y0 = int(rng.integers(0, size[0])), int(rng.integers(0, size[1]))
        assert np.array_equal(base.read((x0, y0, *size), level), base.read((0, 0, *size), level)[y0:, x0:])


def test_a_mended_picture_keeps_its_few_pixels_and_a_spoiled_one_a_copy():
    rng = np.random.default_rng(8)
    pixels = rng.normal(120, 4, (300, 400, 3)).clip(0, 255).astype(np.uint8)
    pixels[rng.integers(4, 296, 30), rng.integers(4, 396, 30)] = 255
    document = Document(Route((new_step("hot_pixels", "h"),)))
    engine = Engine(Source(pixels))
    plan = engine.plan(document)
    base = plan.base
    assert base.changed is not None and 30 <= len(base.changed.index) < 600 and base.nbytes < 40_000
    assert plan.noise is engine.noise
    rows, columns = np.divmod(base.changed.index, 400)
    changed = base.read((0, 0, 400, 300)) != engine.base.read((0, 0, 400, 300))
    assert changed.any(axis=2).sum() == len(rows) and changed[rows, columns].any(axis=1).all()
    pixels = pixels.copy()
    pixels[rng.random(pixels.shape[:2]) < 0.04] = 255
    assert Engine(Source(pixels)).plan(document).base.changed is None


def test_results_come_in_order_with_and_without_helpers():
    pool = Pool(2)
    try:
        for helpers in (None, pool):
            assert map_shared(lambda n: n * n, list(range(50)), helpers) == [n * n for n in range(50)]
            with pytest.raises(ZeroDivisionError):
                map_shared(lambda n: 1 // (n - 7), list(range(20)), helpers)
    finally:
        pool.close()
