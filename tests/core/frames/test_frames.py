"""Frames laid over one another and combined, against skies that are known."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from dustpan.core.errors import PictureError
from dustpan.core.frames import placing
from dustpan.core.frames.calibration import Calibration, master_of
from dustpan.core.frames.combining import Method, combine
from dustpan.core.frames.placing import place, place_channels
from dustpan.core.frames.registration import Look, channel_placements, followed, register, unmoved
from dustpan.core.frames.stars import find_stars
from dustpan.core.picture.curve import decode_curve
from dustpan.simulate.roof_stars import Night
from dustpan.simulate.scenes import clean_picture

CORNERS = np.array([[30, 30], [390, 30], [30, 200], [390, 200.0]])


@pytest.fixture(scope="module")
def night() -> Night:
    return Night((420, 280))


def away(found: np.ndarray, truth: np.ndarray) -> float:
    """How far apart two placements put the corners, px."""
    return float(np.linalg.norm(CORNERS @ (found - truth)[:, :2].T + (found - truth)[:, 2], axis=1).max())


@pytest.mark.parametrize("how", ["rotate", "affine"])
@pytest.mark.parametrize("number", [3, 9])
def test_stars_tell_shift_and_turn_though_hot_pixels_and_roofs_stand_still(night, how, number):
    first, other = (Look.of(night.frame(n)) for n in (0, number))  # 9 has a satellite
    assert away(register(first, other, how), night.matrix(number)) < 0.2


def test_a_shift_is_told_and_frames_without_anything_in_common_are_refused(night):
    first = night.frame(0)
    moved = cv2.warpAffine(first, np.array([[1, 0, 4.3], [0, 1, -2.6]]), night.size, flags=cv2.INTER_CUBIC)
    found = register(Look.of(first), Look.of(moved + night.hot), "shift")
    assert np.allclose(found, [[1, 0, 4.3], [0, 1, -2.6]], atol=0.05)
    with pytest.raises(PictureError, match="too little"):
        register(Look.of(first), Look.of(np.ascontiguousarray(first[::-1, ::-1])), "shift")


@pytest.mark.parametrize(("how", "turn"), [("shift", 0.0), ("rotate", 1.2), ("affine", -0.8)])
def test_daylight_is_laid_over_by_what_it_shows(how, turn):
    light = decode_curve(clean_picture("bench", size=(720, 480), dtype=np.float32).pixels)
    matrix = cv2.getRotationMatrix2D((360, 240), turn, 1.0) + np.array([[0, 0, 5.6], [0, 0, -3.3]])
    moved = cv2.warpAffine(light, matrix, (720, 480), flags=cv2.INTER_CUBIC)
    rng = np.random.default_rng(2)
    looks = [Look.of((side + rng.normal(0, 0.001, side.shape)).astype(np.float32)) for side in (light, moved)]
    assert away(register(*looks, how), matrix) < 0.15


def test_stars_stand_where_they_are_and_single_pixels_are_none(night):
    plane = night.sky(0).mean(axis=2)
    rng = np.random.default_rng(4)
    plane[rng.integers(0, 280, 60), rng.integers(0, 420, 60)] += 0.4
    found = find_stars((plane + rng.normal(0, 0.001, plane.shape)).astype(np.float32))
    near = np.linalg.norm(night.stars[0][None] - found.places[:, None], axis=2).min(axis=1)
    assert len(found) > 30 and (near < 0.3).mean() > 0.95 and np.median(near) < 0.05


def test_a_placed_star_keeps_its_light_and_gets_no_dark_ring():
    y, x = np.mgrid[0:61, 0:61]
    star = 0.1 + 3 * np.exp(-0.5 * ((x - 30) ** 2 + (y - 30) ** 2) / 0.8**2).astype(np.float32)
    placed = place(star[..., None], np.array([[1, 0, 0.43], [0, 1, -0.27]]), (61, 61))[..., 0]
    inner = placed[6:-6, 6:-6]
    assert inner.min() > 0.1 - 0.002
    assert abs((inner - 0.1).sum() / (star - 0.1).sum() - 1) < 0.02
    assert np.isnan(placed[0]).all() and np.isfinite(placed[1:, :-1]).all()


def test_a_frame_is_placed_in_bands_as_it_is_whole(night, monkeypatch):
    light, matrix = night.frame(0), night.matrix(3)
    whole = place(light, matrix, (420, 280))
    monkeypatch.setattr(placing, "_BAND", 24)
    bands = place(light, matrix, (420, 280))
    assert np.array_equal(np.isnan(bands), np.isnan(whole)) and np.isnan(whole).any()
    assert np.nanmax(np.abs(bands - whole)) < 1e-5 * light.max()


def noisy_stack(count: int = 24) -> np.ndarray:
    rng = np.random.default_rng(5)
    return (0.3 + rng.normal(0, 0.05, (count, 60, 80, 3))).astype(np.float32)


@pytest.mark.parametrize(
    ("method", "most"),
    [("average", 1.02), ("sigma_clip", 1.06), ("winsorised", 1.1), ("median", 1.3), ("percentile", 1.15)],
)
def test_methods_come_near_the_law_and_leave_out_what_is_in_one_frame_alone(method, most):
    stack = noisy_stack()
    even = np.ones(len(stack))
    law = 0.05 / np.sqrt(len(stack))
    assert (combine(stack, even, Method(method)).light - 0.3).std() < most * law
    stack[3, 20:24] += 0.9  # a satellite
    stack[7, :, 30] -= 0.25
    done = combine(stack, even, Method(method))
    if method != "average":
        assert np.abs(done.light - 0.3).max() < 6 * law
    if method in ("sigma_clip", "winsorised"):
        assert done.rejected[20:24].mean() > 1 / 24 and done.by_frame[3] > 0.95 * 4 * 80 * 3


def test_weights_count_missing_values_do_not_and_bands_are_the_whole():
    stack = noisy_stack(9)
    stack[8] += 0.2
    weights = np.array([1.0] * 8 + [0.0])
    assert np.allclose(combine(stack, weights, Method("average")).light, stack[:8].mean(axis=0), atol=1e-6)
    stack[:, :5] = np.nan
    stack[1:, 5:9] = np.nan
    done = combine(stack, weights, Method("sigma_clip"))
    assert (done.light[:5] == 0).all() and np.array_equal(done.light[5:9], stack[0, 5:9])
    band = combine(stack[:, 20:44], weights, Method("sigma_clip")).light[4:-4]
    assert np.array_equal(band, done.light[24:40])


def test_calibration_takes_the_cameras_marks():
    rng = np.random.default_rng(6)
    bias = np.full((40, 50, 3), 0.02, np.float32)
    current = rng.exponential(0.01, bias.shape).astype(np.float32)
    response = (1 + 0.1 * rng.standard_normal(bias.shape)).clip(0.5).astype(np.float32)
    light = np.full(bias.shape, 0.25, np.float32)
    calibration = Calibration(bias, bias + 2 * current, 20.0, bias + 0.5 * response)
    assert np.allclose(calibration.apply(bias + current + light * response, 10.0), 0.25, atol=0.02)
    assert calibration.apply(bias + current + light * response, 10.0).std(axis=(0, 1)).max() < 1e-5
    darks = [bias + rng.normal(0, 0.01, bias.shape).astype(np.float32) for _ in range(16)]
    darks[2][10] = 0.9
    assert np.abs(master_of(darks) - 0.02).max() < 0.02
    with pytest.raises(PictureError, match="50 x 30"):
        calibration.apply(light[:30])


def test_a_target_that_moves_is_followed():
    turned = np.array([[0.0, -1.0, 5.0], [1.0, 0.0, 0.0]])
    assert np.allclose([followed(unmoved(), (2.0, -1.0), n)[:, 2] for n in (-1, 0, 3)], [[-2, 1], [0, 0], [6, -3]])
    assert np.allclose(followed(turned, (2.0, -1.0), 1)[:, 2], [6.0, 2.0])  # the way is told in the reference


def test_channels_that_stand_apart_are_registered_apart(night):
    first = night.frame(0)
    shifts = [(0.8, -0.5), (0.0, 0.0), (-0.6, 0.9)]
    planes = [
        cv2.warpAffine(first[..., n], np.array([[1, 0, x], [0, 1, y]]), night.size, flags=cv2.INTER_CUBIC)
        for n, (x, y) in enumerate(shifts)
    ]
    apart = np.stack(planes, axis=-1)
    found = channel_placements(Look.of(first), apart, unmoved())
    assert np.allclose(found[:, :, 2], shifts, atol=0.12)
    inner = np.s_[20:-20, 20:-20]
    sides = apart, place_channels(apart, found, night.size)
    errors = [np.nanmean(np.abs(side[inner] - first[inner])) for side in sides]
    assert errors[1] < 0.5 * errors[0]
