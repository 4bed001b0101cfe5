"""Noise told directly where blocks hold noise alone, and not where they hold texture or noise that differs by place."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from training import kinds
from training.samples import true_noise
from training.textures import draw_texture

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.dct import block_transform
from dustpan.core.noise.direct import read_directly
from dustpan.core.noise.flats import measure_levels
from dustpan.core.noise.held import hold_to
from dustpan.core.noise.measure import estimate_noise, model_of
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.working import to_working

STEPS = np.linspace(0.08, 0.75, 12)


def stairs(tones=STEPS) -> np.ndarray:
    """Even areas of many tones, 512 x 576 px."""
    rows = np.repeat(np.asarray(tones), 48)[None, :, None]
    return np.broadcast_to(rows, (512, len(tones) * 48, 3)).astype(np.float32)


def level_of(pixels: np.ndarray):
    return measure_levels([to_working(pixels)], map)[0].statistics


def wrong_model(levels: float = 12.0) -> NoiseModel:
    """A model whose course over tone is even and whose spectrum falls, whatever the noise is."""
    sigma = np.full((5, 3, len(TONES)), levels / DISPLAY, np.float32)
    fall = np.exp(-np.add.outer(np.arange(8), np.arange(8)) / 40).astype(np.float32)
    spectrum = np.broadcast_to(fall / np.sqrt((fall.ravel()[1:] ** 2).mean()), (5, 3, 8, 8)).copy()
    return NoiseModel(sigma, spectrum)


def test_course_and_spectrum_of_bare_tones_are_told_whatever_was_expected():
    clean = stairs()
    noisy = clean * (1 + 0.12 * np.random.default_rng(0).standard_normal(clean.shape, np.float32))
    held = hold_to(wrong_model(), level_of(kinds.bytes_of(noisy)))
    at = np.interp(STEPS[1:-1], TONES, held.sigma[0, 0])
    assert at == pytest.approx(0.12 * STEPS[1:-1], rel=0.12, abs=0.004)  # each channel's own, so luminance as much
    assert held.spectrum[0, 0, 6:, 6:].mean() == pytest.approx(1, abs=0.12)


def test_tones_whose_noise_black_cuts_off_are_told_as_before():
    clean = stairs([0.02] * 6 + [0.3, 0.35, 0.4, 0.45, 0.5, 0.55])
    deviation = np.where(clean < 0.1, 14, 7) / np.float32(DISPLAY)
    noisy = clean + deviation * np.random.default_rng(0).standard_normal(clean.shape, np.float32)
    held = hold_to(wrong_model(7), level_of(kinds.bytes_of(noisy)))
    assert DISPLAY * held.sigma[0, 0, 0] == pytest.approx(14, rel=0.25)
    assert DISPLAY * held.sigma[0, 0, 7] == pytest.approx(7, rel=0.1)


@pytest.mark.parametrize("expected", [4.0, 5.0])
def test_noise_that_is_smoother_than_expected_is_told_where_all_tones_agree(expected):
    even = np.random.default_rng(1).normal(0, 9 / DISPLAY, (800, 800, 3))
    turn = cv2.getRotationMatrix2D((400, 400), 7, 1)
    turned = cv2.warpAffine(even, turn, (800, 800))[144:656, 112:688]
    true = to_opponent(turned.astype(np.float32))[0]
    level, expected = level_of(kinds.bytes_of(stairs() + turned)), wrong_model(expected)
    lost = hold_to(replace(expected, doubt=(0.8, 0.8)), level)  # it may be grass
    assert lost.spectrum[0, 0] == pytest.approx(hold_to(expected, level).spectrum[0, 0])
    held = hold_to(replace(expected, doubt=(0.3, 0.3)), level)
    assert DISPLAY * held.sigma[0, 0, 8] == pytest.approx(DISPLAY * true.std(), rel=0.1)
    of_blocks = block_transform(true.reshape(64, 8, 72, 8).swapaxes(1, 2)).std(axis=(0, 1))
    fine, coarse = np.s_[5:, 5:], np.s_[1:3, 1:3]
    fall = held.spectrum[0, 0][fine].mean() / held.spectrum[0, 0][coarse].mean()
    assert fall == pytest.approx(of_blocks[fine].mean() / of_blocks[coarse].mean(), rel=0.2)


@pytest.mark.parametrize("what", ["texture", "by place"])
def test_what_does_not_spread_as_noise_does_is_not_taken_for_it(what):
    rng = np.random.default_rng(3)
    even = np.full((512, 512, 3), 0.45, np.float32)
    if what == "texture":
        pixels = kinds.white(draw_texture(even, np.random.default_rng(1)), rng, levels=3).pixels
    else:
        pixels = kinds.by_place(even, rng, levels=5, times=4).pixels
    level = level_of(pixels)
    assert np.average(read_directly(level).trust[:, 0], weights=read_directly(level).counts) < 0.35


@pytest.mark.parametrize(
    "make", [kinds.speckle, kinds.camera, kinds.KINDS["three layers"], kinds.KINDS["rounded to 5 bits"]]
)
def test_the_noise_of_each_tone_of_a_photograph_is_near_the_truth(truth, make):
    made = make(truth, np.random.default_rng(1))
    model = estimate_noise([to_working(made.pixels)])
    told = model_of(prediction_of(true_noise((to_working(made.pixels), made.truth))[0]), model.presence)
    off = np.abs(np.log(model.sigma[0, 0] / told.sigma[0, 0]))
    assert off @ model.presence < (0.25 if make is kinds.speckle else 0.16)
