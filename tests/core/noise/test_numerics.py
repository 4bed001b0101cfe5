"""Measuring and cleaning, checked against known truth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import fft
from tests.conftest import psnr, with_white_noise

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import OPPONENT, from_opponent, to_opponent
from dustpan.core.filters.dct import clean_plane
from dustpan.core.filters.quick import Cleaning, clean_tile
from dustpan.core.filters.tone import bend_tone, expose
from dustpan.core.judge.propose import propose_route
from dustpan.core.noise.measure import estimate_noise
from dustpan.core.noise.model import DISPLAY, NoiseModel
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working, to_working
from dustpan.core.render.engine import Engine
from dustpan.simulate.scenes import noisy_picture


@pytest.mark.parametrize("levels", [5, 10, 20, 30])
def test_white_noise_is_measured_within_a_fifth(truth, levels):
    noise = np.random.default_rng(levels).normal(0, levels / DISPLAY, truth.shape)
    model = estimate_noise([(truth + noise).astype(np.float32)])
    assert model.luminance == pytest.approx(levels, rel=0.2)
    assert model.colour == pytest.approx(levels, rel=0.2)
    middle = slice(2, 10)  # the tones the bench is made of
    assert np.allclose(model.sigma[0, :, middle] * DISPLAY, levels, rtol=0.35 if levels < 10 else 0.15)
    assert np.allclose(model.spectrum[0], 1, atol=0.45)


@pytest.mark.parametrize("iso", [1600, 6400, 25600])
def test_camera_noise_is_measured_at_each_tone_and_scale(truth, iso):
    """Demosaiced noise is coarse, coloured and tone-dependent; two photographs of one scene tell its truth."""
    one, other = (noisy_picture("bench", iso=iso, seed=seed, size=truth.shape[1::-1]) for seed in (7, 8))
    model = Engine(one).noise
    whole = (0, 0, one.width, one.height)
    difference = to_opponent(one.read(whole) - other.read(whole)) / np.sqrt(2)
    tone = truth.mean(axis=2)
    for level in (0.1, 0.2, 0.3):
        true = difference[:, np.abs(tone - level) < 0.03].std(axis=1)
        assert np.allclose(model.at(np.array([level]))[:, 0], true, rtol=0.3), (iso, level)
    low, high = model.spectrum[0, 1, 1:3, 1:3].mean(), model.spectrum[0, 1, 5:, 5:].mean()
    assert low > 1.3 * high  # colour noise of a mosaic lies in the low frequencies


def test_a_clean_picture_has_almost_no_noise():
    y, x = np.mgrid[0:300, 0:400] / 400
    smooth = np.repeat((0.2 + 0.5 * x * y)[..., None], 3, axis=2).astype(np.float32)
    assert estimate_noise([smooth]).luminance < 0.3
    assert estimate_noise([np.zeros((300, 300, 3), np.float32)]).luminance == 0
    assert estimate_noise([np.zeros((8, 8, 3), np.float32)]).luminance == 0


def test_the_model_survives_json_and_scaling():
    model = estimate_noise([np.random.default_rng(0).random((128, 128, 3)).astype(np.float32)])
    again = NoiseModel.from_json(model.to_json())
    assert np.allclose(again.sigma, model.sigma, atol=1e-5)
    double = model.scaled(luminance=np.full(17, 2.0), colour=np.ones(17), channels=(1, 1, 1))
    assert np.allclose(double.sigma[:, 0], 2 * model.sigma[:, 0], rtol=1e-5)
    assert np.allclose(double.sigma[:, 1:], model.sigma[:, 1:], rtol=1e-5)
    with pytest.raises(ValueError, match="17 tones"):
        NoiseModel.from_json({"sigma": [1], "spectrum": [2]})


def test_curves_and_axes_invert():
    values = np.linspace(-0.5, 3, 9000, dtype=np.float32).reshape(50, 60, 3)
    assert np.allclose(encode_curve(decode_curve(values)), values, atol=2e-6)
    assert np.allclose(from_opponent(to_opponent(values)), values, atol=1e-6)
    assert np.allclose(OPPONENT @ OPPONENT.T, np.eye(3), atol=1e-6)
    for dtype in (np.uint8, np.uint16):
        native = np.arange(np.iinfo(dtype).max + 1, dtype=dtype)[None, :, None]
        assert np.array_equal(from_working(to_working(native), dtype=dtype)[..., :1], native)


def test_tone_curves_rise_and_rest_at_zero():
    ramp = np.linspace(-0.2, 1.5, 800, dtype=np.float32)
    for amount in (-1, -0.5, 0.5, 1):
        for key in ("midtone", "contrast"):
            zero = {"black": 0.0, "white": 0.0, "midtone": 0.0, "contrast": 0.0}
            bent = bend_tone(ramp, **{**zero, key: amount})
            assert (np.diff(bent) >= -1e-6).all()
            ends = np.array([-3, 0, 1, 2, 20], np.float32)
            assert bend_tone(ends, **{**zero, key: amount}) == pytest.approx(ends, abs=1e-5)
    grey = np.repeat(ramp[None, :, None], 3, axis=2)
    for ev in (-3, 1, 4):
        assert (np.diff(expose(grey, stops=0.0, ev=ev, stretch=0.5)[0, :, 0]) >= -1e-6).all()


def test_at_no_strength_a_plane_comes_back_and_at_full_its_noise_goes():
    rng = np.random.default_rng(2)
    plane = (0.5 + rng.normal(0, 0.1, (160, 192))).astype(np.float32)
    sigma, white = np.full((80, 96), 0.1, np.float32), np.ones((8, 8), np.float32)
    for passes in (1, 2):
        same = clean_plane(plane, sigma=sigma, spectrum=white, strength=0.0, passes=passes)
        assert np.allclose(same, plane, atol=2e-6)
        left = [
            clean_plane(plane, sigma=sigma, spectrum=white, strength=s, passes=passes)[8:-8, 8:-8].std() / 0.1
            for s in (0.25, 0.5, 0.75, 1.0)
        ]
        assert left == sorted(left, reverse=True)
        assert np.allclose(left[:3], [0.75, 0.5, 0.25], atol=0.08)  # what is left is the noise itself, weaker
        assert left[3] < 0.17


def test_a_coloured_spectrum_is_used(truth):
    """Prediction the noise's true spectrum the cleaning is better than told white noise of the same strength."""
    rng = np.random.default_rng(4)
    shape = fft.dctn(rng.normal(size=truth.shape[:2]), norm="ortho")
    y, x = (np.linspace(0, 1, n)[:, None] for n in truth.shape[:2])
    coarse = fft.idctn(shape * np.exp(-3 * (y**2 + x.T**2)), norm="ortho")
    noise = (coarse / coarse.std() * 0.08).astype(np.float32)
    noisy = truth + noise[..., None]
    told = estimate_noise([np.repeat((0.5 + noise)[..., None], 3, axis=2)])
    white = NoiseModel(told.sigma, np.ones_like(told.spectrum))

    def clean(model):
        sigma = lambda tone, scale, area: np.full((3, *tone.shape), model.sigma[scale, 0].mean(), np.float32)  # noqa: E731
        return clean_tile(noisy, Cleaning(sigma, model.spectrum, (1.0, 0.0), scales=2))

    assert psnr(clean(told), truth) > psnr(clean(white), truth) + 0.3


def test_blind_cleaning_gains_nine_decibels_on_white_noise_of_25_levels(truth):
    engine = Engine(Source(with_white_noise(truth, 25, seed=2)))
    plan = engine.plan(Document(propose_route(engine)))
    before = psnr(to_working(engine.source.pixels), truth)
    assert psnr(engine.render(plan, (0, 0, *plan.size)), truth) > before + 9


def test_blind_cleaning_helps_camera_pictures_and_brings_their_light_back(truth):
    engine = Engine(noisy_picture("bench", iso=12800, seed=5, size=truth.shape[1::-1]))
    plan = engine.plan(Document(propose_route(engine).without("sharpen")))
    noisy = to_working(engine.source.pixels)
    clean = engine.render(plan, (0, 0, *plan.size))
    assert psnr(clean, truth) > psnr(noisy, truth) + 6
    off = [abs(picture.mean() - truth.mean()) * DISPLAY for picture in (noisy, clean)]
    assert off[1] < min(0.5 * off[0], 0.6)


def test_strength_over_tone_works_where_it_is_set(noisy):
    step = new_step("noise", "noise")
    region = (0, 0, noisy.width, noisy.height)
    engine, results = Engine(noisy), {}
    for name, factors in (("even", (1.0,) * 5), ("darks left", (0.0, 0.0, 1.0, 1.0, 1.0))):
        params = replace(step.params, auto=False, luminance=100.0, over_tone=factors, detail_return=0.0)
        results[name] = engine.render(engine.plan(Document(Route((replace(step, params=params),)))), region)
    moved = np.abs(to_opponent(results["darks left"] - noisy.read(region))[0])
    full = np.abs(to_opponent(results["even"] - noisy.read(region))[0])
    tone = results["even"].mean(axis=2)
    dark, light = tone < 0.12, tone > 0.62
    assert moved[dark].mean() < 0.35 * full[dark].mean()
    assert moved[light].mean() > 0.8 * full[light].mean()
