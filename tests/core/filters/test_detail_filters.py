"""The arithmetic of deconvolution, detail pictures, grain and edge profiles, against what it stands for."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from dustpan.core.filters.deconvolve import SHAPES, deconvolve, kernel_of, reach_of, support_of
from dustpan.core.filters.edge_profiles import edge_rise, rise_of
from dustpan.core.filters.grain import draw_grain, grain_support, strength_over_tone
from dustpan.core.filters.high_pass import OVERLAYS, finer_than, lay_detail, steepened
from dustpan.core.steps import kinds

RNG = np.random.default_rng(5)


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("radius", [0.3, 1.2, 3.0, 8.0])
def test_a_blur_keeps_light_and_no_step_looks_too_far(shape, radius):
    kernel = kernel_of(shape, radius, 30.0)
    assert kernel.sum() == pytest.approx(1, abs=1e-5) and kernel.min() >= 0
    assert kernel.shape == (2 * reach_of(shape, radius) + 1,) * 2
    assert np.allclose(kernel, kernel[::-1, ::-1], atol=1e-6)  # so that it is its own adjoint
    assert reach_of(shape, radius) < support_of(shape, radius) <= kinds()["deblur"].max_support


@pytest.mark.parametrize("radius", [0.8, 1.5, 2.5])
def test_the_deviation_of_a_gaussian_is_its_radius(radius):
    kernel = kernel_of("gaussian", radius, 0.0)
    at = np.arange(len(kernel)) - len(kernel) // 2
    deviation = np.sqrt((kernel * at[None] ** 2).sum())
    assert deviation == pytest.approx(np.hypot(radius, 12**-0.5), rel=0.04)  # a pixel has a width too


def test_motion_turns_counterclockwise():
    level, upright, slanted = (kernel_of("motion", 4.0, angle) for angle in (0.0, 90.0, 45.0))
    assert level[len(level) // 2].sum() > 0.7 and np.allclose(level.T, upright, atol=1e-4)
    upper = [slanted[row, column] for row, column in ((2, 7), (3, 6))]  # up and to the right
    assert min(upper) > 0.02 and slanted[2, 2] < 1e-3


def test_flat_light_stays_flat_and_light_is_kept():
    flat = np.full((80, 90), 0.3, np.float32)
    sigma = np.full_like(flat, 1e-3)
    how = {"shape": "gaussian", "radius": 1.5, "angle": 0.0, "iterations": 10, "damping": 0.5}
    assert np.abs(deconvolve(flat, sigma, **how) - 0.3).max() < 1e-4
    scene = cv2.GaussianBlur(RNG.random((120, 140)).astype(np.float32), (0, 0), 3)
    blurred = cv2.GaussianBlur(scene, (0, 0), 1.5)
    found = deconvolve(blurred, np.full_like(blurred, 1e-4), **how)
    assert found.mean() == pytest.approx(blurred.mean(), rel=2e-3)
    inner = np.s_[12:-12, 12:-12]
    assert np.abs(found - scene)[inner].mean() < 0.6 * np.abs(blurred - scene)[inner].mean()


def test_mid_grey_detail_changes_nothing_and_laws_keep_what_is_past_white():
    picture = RNG.random((20, 30, 3)).astype(np.float32) * 1.4 - 0.1
    for law in OVERLAYS:
        assert np.abs(lay_detail(picture, np.zeros_like(picture), law=law, strength=1.0) - picture).max() < 1e-6
    lifted = lay_detail(picture, np.full_like(picture, 0.1), law="full", strength=1.0)
    assert np.abs(lifted - picture - 0.2).max() < 1e-5


def test_detail_is_what_a_blur_leaves_out():
    plane = RNG.random((60, 70)).astype(np.float32)
    assert abs(finer_than(plane, 3.0)[12:-12, 12:-12].mean()) < 0.01
    assert np.abs(finer_than(np.full((40, 40), 0.6, np.float32), 3.0)).max() < 1e-6
    detail = finer_than(plane, 2.0)
    assert np.array_equal(steepened(detail, 2.0, 0.0), detail)
    assert steepened(detail, 2.0, 1.0).std() > 1.3 * detail.std()


def test_grain_goes_on_beyond_every_side_and_channels_differ():
    whole = draw_grain((-40, -30, 60, 50), size=2.0, seed=3)
    assert np.array_equal(draw_grain((-5, -9, 20, 30), size=2.0, seed=3), whole[21:60, 35:60])
    others = [draw_grain((0, 0, 200, 200), size=2.0, seed=3, channel=n).ravel() for n in range(3)]
    assert np.abs(np.corrcoef(others) - np.eye(3)).max() < 0.05
    assert grain_support(0.5) == 0 < grain_support(1.0) < grain_support(4.0)
    tones = strength_over_tone(np.linspace(-0.2, 1.2, 50))
    assert tones.max() == pytest.approx(1, abs=0.01) and tones[0] == tones[-1] == pytest.approx(0.25)


@pytest.mark.parametrize("blur", [0.8, 1.5, 2.5])
def test_the_rise_of_an_edge_tells_its_blur(blur):
    y, x = np.mgrid[-64:64, -64:64]
    sharp = (x - 0.2 * y > 0).astype(np.float32)
    plane = 0.2 + 0.6 * cv2.GaussianBlur(sharp, (0, 0), blur)
    rise = edge_rise([np.repeat(plane[..., None], 3, axis=2)])
    assert rise == pytest.approx(2.56 * np.hypot(blur, 0.55), rel=0.15)
    assert edge_rise([np.full((128, 128, 3), 0.5, np.float32)]) is None


def test_the_far_side_of_a_line_is_no_part_of_an_edge():
    edge = np.clip(np.arange(-9, 10) / 4 + 0.5, 0, 1)
    line = np.where(np.arange(-9, 10) < -6, 0.9, edge)
    assert rise_of(line) == pytest.approx(rise_of(edge)) == pytest.approx(3.2, abs=0.1)
