"""Properties of the filters that every step leans on."""

from __future__ import annotations

import threading
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from dustpan.core.document.route import Part, Where
from dustpan.core.errors import Cancelled
from dustpan.core.filters.blend import LAWS, lay_over
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.dct import clean_plane, halve, lay_under, window_mean
from dustpan.core.filters.detail import structured_part
from dustpan.core.filters.planes import guided_base, sample_plane, shrink_to
from dustpan.core.filters.specks import BRIGHT, DARK, count_specks, fill_specks, find_by_ring, judge_peaks, take_specks
from dustpan.core.filters.tone import amplify, bend_tone, expose, lift_stops, saturate, smooth_step
from dustpan.core.picture.base import WholeBase
from dustpan.core.picture.pyramid import halve_picture, reduce_picture
from dustpan.core.picture.region import extent_of
from dustpan.core.picture.source import Source
from dustpan.core.where import part_kinds
from dustpan.core.where.fold import mask_of
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.core.work.sharing import run_shared

TONES = st.floats(0, 1, width=32)
PICTURES = arrays(np.float32, (4, 5, 3), elements=TONES)


# -- laying over --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("law", LAWS)
@settings(max_examples=25, deadline=None)
@given(below=PICTURES, above=PICTURES, share=TONES)
def test_every_law_is_finite_and_grows_from_nothing(law, below, above, share):
    full = lay_over(below, above, law=law, share=1.0)
    assert full.dtype == np.float32 and np.isfinite(full).all()
    assert np.array_equal(lay_over(below, above, law=law, share=0.0), below)
    part = lay_over(below, above, law=law, share=float(share))
    assert np.allclose(part, below + np.float32(share) * (full - below), atol=1e-4)
    plane = np.zeros((4, 5), np.float32)
    plane[1:, 2:] = 1
    masked = lay_over(below, above, law=law, share=plane)
    assert np.array_equal(masked[0], below[0]) and np.allclose(masked[1:, 2:], full[1:, 2:], atol=1e-4)


def test_grey_in_the_middle_leaves_what_the_lights_lie_over():
    below = np.linspace(0, 1, 60, dtype=np.float32).reshape(4, 5, 3)
    grey = np.full_like(below, 0.5)
    for law in ("overlay", "soft_light", "linear_light", "vivid_light", "hard_light"):
        expected = below if law != "overlay" else LAWS["overlay"](below, grey)
        assert np.allclose(lay_over(below, grey, law=law, share=1.0), expected, atol=1e-3), law


@settings(max_examples=40, deadline=None)
@given(below=PICTURES, above=PICTURES)
def test_luminance_and_colour_are_taken_apart(below, above):
    light = lay_over(below, above, law="luminance_only", share=1.0)
    assert np.allclose(tone_of(light), tone_of(above), atol=1e-5)
    assert np.allclose(light - tone_of(light)[..., None], below - tone_of(below)[..., None], atol=1e-5)
    colour = lay_over(below, above, law="colour_only", share=1.0)
    assert np.allclose(tone_of(colour), tone_of(below), atol=1e-5)


# -- light and tone -----------------------------------------------------------------------------------------------


@settings(max_examples=50, deadline=None)
@given(st.floats(-5, 5), st.floats(0, 1), st.floats(-1, 2))
def test_exposing_never_turns_tones_round(ev, stretch, stops):
    ramp = np.repeat(np.linspace(-0.1, 1.3, 300, dtype=np.float32)[None, :, None], 3, axis=2)
    lit = expose(ramp, stops=stops, ev=ev, stretch=stretch)
    assert np.isfinite(lit).all() and (np.diff(lit[0, :, 0]) >= -1e-5).all()


@settings(max_examples=50, deadline=None)
@given(st.floats(0.01, 8))
def test_raised_exposure_keeps_white_and_all_above_it_apart(ev):
    light = np.array([0, 0.1, 0.5, 0.9, 1, 2, 5, 20], np.float32)
    lit = amplify(light, 2.0**ev)
    assert (np.diff(lit) > 0).all() and lit[4] == 1 and np.array_equal(np.diff(lit[4:]), np.diff(light[4:]))
    assert np.abs(amplify(light, 2.0 ** (ev + 0.01)) - lit).max() < 0.012  # no jump anywhere
    dense = np.linspace(0, 3, 4000, dtype=np.float32)
    back = np.interp(lit, amplify(dense, 2.0**ev), dense)  # it can be undone
    assert np.allclose(back[:6], light[:6], atol=2e-3)
    per_place = amplify(np.repeat(light[:, None], 2, axis=1), np.array([[2.0**ev, 0.5]]))
    assert np.array_equal(per_place[:, 0], lit) and np.array_equal(per_place[:, 1], light / 2)


def test_a_stop_doubles_the_light_and_a_stretch_lifts_the_faint_most():
    faint = np.full((2, 2, 3), 0.02, np.float32)
    bright = np.full((2, 2, 3), 0.6, np.float32)
    from dustpan.core.picture.curve import decode_curve

    assert np.allclose(decode_curve(expose(faint, stops=0.0, ev=1.0, stretch=0.0)), 2 * decode_curve(faint), rtol=1e-4)
    assert np.allclose(expose(bright, stops=0.0, ev=0.0, stretch=0.0), bright, atol=1e-6)
    gains = [
        decode_curve(expose(p, stops=0.0, ev=0.0, stretch=0.7)).mean() / decode_curve(p).mean() for p in (faint, bright)
    ]
    assert gains[0] > 10 * gains[1] > 0


def test_shadows_and_highlights_leave_each_other_alone():
    base = np.linspace(0, 1, 101, dtype=np.float32)
    shadows, highlights = lift_stops(base, shadows=1.0, highlights=0.0), lift_stops(base, shadows=0.0, highlights=-1.0)
    assert shadows[0] > 2 and (shadows[60:] == 0).all() and (np.diff(shadows) <= 1e-6).all()
    assert highlights[-1] < -1.5 and (highlights[:44] == 0).all() and (np.diff(highlights) <= 1e-6).all()


def test_end_points_saturation_and_steps():
    tone = np.linspace(0, 1, 11, dtype=np.float32)
    rest = {"midtone": 0.0, "contrast": 0.0}
    assert np.allclose(bend_tone(tone, black=0.1, white=0.0, **rest)[[1, 10]], [0, 1], atol=1e-6)
    assert np.allclose(bend_tone(tone, black=0.0, white=0.2, **rest)[[0, 8]], [0, 1], atol=1e-6)
    colours = np.random.default_rng(0).random((5, 6, 3)).astype(np.float32)
    assert np.ptp(saturate(colours, -1.0), axis=2).max() < 1e-6
    assert np.allclose(tone_of(saturate(colours, 0.7)), tone_of(colours), atol=1e-6)
    assert saturate(colours, 0.0) is colours
    assert smooth_step(np.array([-1.0, 0.5, 2.0]), 0, 1).tolist() == [0, 0.5, 1]


# -- planes and levels --------------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 90), st.integers(0, 60), st.integers(1, 40), st.integers(1, 40))
def test_a_plane_sampled_in_tiles_is_the_plane_sampled_whole(x, y, width, height):
    plane = np.random.default_rng(1).random((7, 9)).astype(np.float32)
    size = (131, 101)
    whole = sample_plane(plane, (0, 0, 1, 1), size[::-1])
    region = (x, y, min(x + width, 131), min(y + height, 101))
    tile = sample_plane(plane, extent_of(region, size), (region[3] - region[1], region[2] - region[0]))
    assert np.allclose(tile, whole[region[1] : region[3], region[0] : region[2]], atol=1e-5)
    assert plane.min() - 1e-6 <= tile.min() and tile.max() <= plane.max() + 1e-6


def test_a_base_layer_keeps_edges_and_drops_texture():
    edge = np.where(np.arange(200) < 100, 0.2, 0.8).astype(np.float32)[None].repeat(120, 0)
    rough = edge + np.random.default_rng(2).normal(0, 0.03, edge.shape).astype(np.float32)
    slope, offset = guided_base(rough, radius=6, softness=0.12)
    base = slope * rough + offset
    assert base[:, 20:80].std() < 0.4 * rough[:, 20:80].std()
    assert base[:, 103].mean() - base[:, 96].mean() > 0.85 * 0.6


def test_levels_are_area_means_whatever_the_size():
    picture = np.random.default_rng(3).random((37, 51, 3)).astype(np.float32)
    base = WholeBase("k", picture)
    assert base.size_at(1) == (26, 19) and base.size_at(3) == (7, 5)
    half = base.read((0, 0, 26, 19), 1)
    assert np.allclose(half[:18, :25], picture[:36, :50].reshape(18, 2, 25, 2, 3).mean(axis=(1, 3)), atol=1e-6)
    assert np.allclose(base.read((0, 0, 7, 5), 3), reduce_picture(picture, 3), atol=1e-6)
    assert np.allclose(halve_picture(picture)[-1, -1], picture[-1, -1], atol=1e-6)
    assert shrink_to(picture, 20).shape[:2] == (15, 20) and shrink_to(picture, 99) is picture
    wide = WholeBase("w", np.zeros((3000, 5000, 1), np.uint8))
    crops = [wide.read(region) for region in wide.crop_regions()]
    assert wide.overview_level == 2 and sum(c.shape[0] * c.shape[1] for c in crops) < 1.4e6
    assert {c.shape for c in crops} == {(224, 224, 3)}


# -- blocks and specks --------------------------------------------------------------------------------------------


def test_windows_and_scales_keep_the_mean():
    plane = np.random.default_rng(4).random((64, 80)).astype(np.float32)
    assert window_mean(plane)[5, 7] == pytest.approx(plane[10:18, 14:22].mean(), abs=1e-6)
    assert np.allclose(halve(plane), plane.reshape(32, 2, 40, 2).mean(axis=(1, 3)), atol=1e-6)
    assert np.allclose(lay_under(plane, halve(plane)), plane, atol=1e-6)
    lifted = lay_under(plane, halve(plane) + np.float32(0.1))
    assert np.allclose(lifted, plane + 0.1, atol=1e-5)


def test_planes_wider_than_a_kernel_takes_are_the_same_to_the_last_bit():
    plane = np.random.default_rng(6).random((24, 5000)).astype(np.float32)
    how = {"spectrum": np.ones((8, 8), np.float32), "strength": 0.8}
    wide = clean_plane(plane, sigma=np.full((12, 2500), 0.2, np.float32), **how)
    for first in (0, 1504, 3200):
        part = clean_plane(plane[:, first : first + 1800], sigma=np.full((12, 900), 0.2, np.float32), left=first, **how)
        inner = slice(16 if first else 0, None if first + 1800 >= 5000 else 1784)
        assert np.array_equal(part[:, inner], wide[:, first : first + 1800][:, inner])


def test_lines_come_back_from_what_was_removed_and_noise_does_not():
    rng = np.random.default_rng(5)
    noise = rng.normal(0, 0.05, (96, 96)).astype(np.float32)
    sigma = np.full((96, 96), 0.05 * 3**0.5, np.float32)
    assert np.abs(structured_part(noise, sigma=sigma)).mean() < 0.12 * np.abs(noise).mean()
    stripes = (0.12 * np.sin(np.arange(96) * 0.9)).astype(np.float32)[None, :].repeat(96, 0)
    found = structured_part(noise + stripes, sigma=sigma)
    assert np.corrcoef(found[10:-10, 10:-10].ravel(), stripes[10:-10, 10:-10].ravel())[0, 1] > 0.8


@pytest.mark.parametrize(("polarity", "value"), [(BRIGHT, 0.9), (DARK, 0.1)])
def test_specks_are_counted_once_and_only_of_the_kind_asked_for(polarity, value):
    rng = np.random.default_rng(6)
    tile = (0.5 + rng.normal(0, 0.01, (80, 90, 3))).astype(np.float32)
    for y, x in ((20, 20), (40, 60), (60, 30)):
        tile[y, x] = value
    sigma = np.full((3, 80, 90), 0.01, np.float32)
    rest = {"sigma": sigma, "sensitivity": 6.0, "coloured": True}
    specks = judge_peaks(tile, polarity=polarity, **rest).chosen(6.0)
    by_ring = find_by_ring(tile, polarity=polarity, spare_stars=True, **rest)
    for marks in (specks.marks(tile.shape[:2]), by_ring):
        assert count_specks(marks) == 3 and marks[40, 60]
    other = judge_peaks(tile, polarity=BRIGHT + DARK - polarity, **rest).chosen(6.0).marks(tile.shape[:2])
    assert not other[20, 20] and not other[40, 60]
    for mended in (take_specks(tile, specks, size=1), fill_specks(tile, by_ring, sigma=sigma, size=1)):
        assert abs(mended[40, 60] - 0.5).max() < 0.05
    assert np.array_equal(fill_specks(tile, np.zeros_like(by_ring), sigma=sigma, size=3), tile)


@pytest.mark.parametrize(("apart", "count"), [(1, {1}), (2, {1, 2}), (3, {2})])
@pytest.mark.parametrize("part", [0.6, 1.0])
def test_of_specks_side_by_side_all_are_mended_and_those_that_touch_are_one(apart, count, part):
    rng = np.random.default_rng(7)
    sound = (0.4 + rng.normal(0, 0.01, (60, 60, 3))).astype(np.float32)
    tile, sigma = sound.copy(), np.full((3, 60, 60), 0.01, np.float32)
    tile[20, 20], tile[20, 20 + apart] = 0.95, 0.4 + 0.55 * part
    specks = judge_peaks(tile, sigma=sigma, sensitivity=6.0, polarity=BRIGHT, coloured=True).chosen(6.0)
    assert len(specks.points) in count
    assert abs(take_specks(tile, specks, size=3) - sound).max() < 0.55 / 5


# -- masks --------------------------------------------------------------------------------------------------------


def ellipse(name="e", **rest) -> Part:
    kind = part_kinds()["ellipse"]
    own = {key: rest.pop(key) for key in list(rest) if key in kind.params_type.described()}
    return Part(name, kind.kind, kind.params_type(**own), **rest)


def test_parts_fold_in_order_and_a_mask_in_tiles_is_the_mask():
    size, region = (160, 120), (0, 0, 160, 120)
    one, two = ellipse(cx=0.3), ellipse("f", cx=0.6)
    single = [mask_of(Where((part,)), region, size) for part in (one, two)]
    both = mask_of(Where((one, ellipse("f", cx=0.6, op="subtract"))), region, size)
    assert np.allclose(both, single[0] * (1 - single[1]), atol=1e-6)
    assert np.allclose(mask_of(Where((one, ellipse("f", cx=0.6, op="intersect"))), region, size), np.minimum(*single))
    hole = mask_of(Where((ellipse(cx=0.3, op="subtract"),)), region, size)
    assert np.allclose(hole, 1 - single[0], atol=1e-6)
    assert np.allclose(mask_of(Where((ellipse(cx=0.3, invert=True),), invert=True), region, size), single[0], atol=1e-6)
    assert mask_of(Where(), region, size) == 1.0 and mask_of(Where((ellipse(on=False),)), region, size) == 1.0
    soft = Where((one, two), feather=9.0)
    whole, tile = mask_of(soft, region, size), mask_of(soft, (50, 30, 110, 90), size)
    assert np.allclose(tile, whole[30:90, 50:110], atol=1e-5)
    assert np.abs(np.diff(whole, axis=1)).max() < np.abs(np.diff(np.maximum(*single), axis=1)).max()
    half = mask_of(soft, (0, 0, 80, 60), (80, 60), level=1)
    assert np.abs(half - whole.reshape(60, 2, 80, 2).mean(axis=(1, 3))).max() < 0.06


def test_an_ellipse_turns_in_pixels_and_is_full_inside():
    mask = mask_of(Where((ellipse(rx=0.4, ry=0.1, angle=90.0, softness=0.0),)), (0, 0, 200, 100), (200, 100))
    rows, columns = np.nonzero(mask > 0.5)
    assert np.ptp(columns) == pytest.approx(19, abs=2) and np.ptp(rows) >= 98
    assert mask[50, 100] == 1 and mask.min() == 0


# -- threads ------------------------------------------------------------------------------------------------------


def test_work_is_shared_out_from_inside_the_pool_itself():
    pool, done, threads = Pool(2), [], set()

    def work(item):
        threads.add(threading.get_ident())
        time.sleep(0.002)
        done.append(item)

    outer = [
        pool.submit(lambda: run_shared(work, range(30), pool), priority=Priority.VIEW, token=Token()) for _ in range(3)
    ]
    for future in outer:
        future.result(10)
    assert sorted(done) == sorted([*range(30)] * 3)
    run_shared(work, range(5), None)
    assert len(done) == 95

    def fail(item):
        if item == 7:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        run_shared(fail, range(20), pool)
    pool.close()
    with pytest.raises(Cancelled):
        pool.submit(print, priority=0, token=Token())


def test_a_source_is_read_only_and_known_by_its_pixels():
    one = Source(np.arange(12, dtype=np.uint8).reshape(2, 2, 3))
    same = Source(np.arange(12, dtype=np.uint8).reshape(2, 2, 3), name="other")
    other = Source(np.arange(12, dtype=np.uint8)[::-1].reshape(2, 2, 3).copy())
    assert one.key == same.key != other.key
    with pytest.raises(ValueError, match="read-only"):
        one.pixels[0, 0, 0] = 9
