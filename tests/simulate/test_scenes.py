"""The demo scenes and the made-up camera."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from dustpan.core.errors import PictureError
from dustpan.core.noise.measure import estimate_noise
from dustpan.simulate import camera
from dustpan.simulate.scenes import clean_picture, load_features, load_truth, noisy_picture


def test_the_bench_has_its_truth_and_its_features():
    light, features = load_truth("bench"), load_features("bench")
    assert light.shape == (1600, 2400, 3) and light.min() >= 0 and light.max() > 1  # highlights past the sensor
    assert features["albedo"].shape == light.shape and features["depth"].shape == (1600, 2400, 1)
    length = np.linalg.norm(features["normal"], axis=2)
    assert np.median(length) == pytest.approx(1, abs=0.05)
    assert 30 < np.percentile(features["depth"], 5) < np.percentile(features["depth"], 95) < 130
    with pytest.raises(PictureError, match="no such scene"):
        load_truth("attic")


def test_the_truth_is_quiet():
    clean = clean_picture("bench", dtype=np.float32).pixels
    assert estimate_noise([clean[:700, :900]]).luminance < 2.5


def test_noise_follows_the_iso_and_hot_pixels_the_exposure():
    size = (600, 400)
    pictures = [noisy_picture("bench", iso=iso, size=size).pixels.astype(float) for iso in (400, 1600, 6400, 25600)]
    twins = [noisy_picture("bench", iso=iso, seed=2, size=size).pixels for iso in (400, 1600, 6400, 25600)]
    noise = [np.std(a - b) for a, b in zip(pictures, twins, strict=True)]
    assert all(1.4 < b / a < 2.6 for a, b in itertools.pairwise(noise))  # about the root of the light
    settings = [camera.Settings(iso=400, seconds=s, temperature=t) for s, t in ((0.1, 22), (1.0, 22), (1.0, 34))]
    charges = [camera.hot_pixels((400, 600), s) for s in settings]
    assert np.array_equal(charges[0][0], charges[2][0])  # the sensor's own places
    assert charges[1][2] == pytest.approx(10 * charges[0][2]) and charges[2][2] == pytest.approx(4 * charges[1][2])


@pytest.mark.parametrize("interpolate", [camera.demosaic_fine, camera.demosaic_fast])
def test_a_mosaic_of_flat_colour_is_interpolated_to_that_colour(interpolate):
    colour = np.array([0.2, 0.5, 0.7], np.float32)
    mosaic = np.empty((12, 16), np.float32)
    mosaic[0::2, 0::2], mosaic[1::2, 1::2] = colour[0], colour[2]
    mosaic[0::2, 1::2] = mosaic[1::2, 0::2] = colour[1]
    assert np.allclose(interpolate(mosaic), colour, atol=1e-6)


def test_the_camera_sharpens_and_stores():
    soft = noisy_picture("bench", iso=100, size=(600, 400)).pixels.astype(float)
    crisp = noisy_picture("bench", iso=100, size=(600, 400), sharpening=1.0).pixels.astype(float)
    assert np.abs(np.diff(crisp, axis=1)).mean() > 1.1 * np.abs(np.diff(soft, axis=1)).mean()
    light = np.linspace(0, 1.5, 3000, dtype=np.float32).reshape(1, 1000, 3)
    assert np.allclose(camera.light_of(camera.stored_of(light)), light, atol=2e-3)
