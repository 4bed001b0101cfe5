"""The noise that cleaning assumes follows what a window holds."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.fft import dctn

from dustpan.core.filters.assumed import assume_noise
from dustpan.core.filters.dct import window_excess

WHITE = np.ones((3, 8, 8), np.float32)
MOSAIC = np.ones((3, 8, 8), np.float32)
MOSAIC[1:, :4, :4] = 1.8


def planes(texture: float, *, sigma: float = 0.05, side: int = 128) -> tuple[np.ndarray, np.ndarray]:
    """Return a noisy plane with fine texture of some deviation, and the windows' true noise."""
    rng = np.random.default_rng(3)
    plane = rng.normal(0, sigma, (side, side)) + rng.normal(0, texture, (side, side))
    return plane.astype(np.float32), np.full((3, side // 2, side // 2), sigma, np.float32)


@pytest.mark.parametrize("width", [64, 2100])
def test_excess_is_the_mean_energy_of_the_coefficients(width):
    rng = np.random.default_rng(1)
    plane = rng.normal(0, 0.1, (24, width)).astype(np.float32)
    plane[:, 20:] += 0.5
    sigma = rng.uniform(0.03, 0.1, (12, width // 2)).astype(np.float32)
    spectrum = rng.uniform(0.5, 1.5, (8, 8)).astype(np.float32)
    found = window_excess(plane, sigma=sigma, spectrum=spectrum)
    for row, column in [(0, 0), (4, 7), (8, width // 2 - 4), (3, 28)]:
        window = dctn(plane[2 * row : 2 * row + 8, 2 * column : 2 * column + 8].astype(float), norm="ortho")
        energies = np.minimum((window / (spectrum * sigma[row, column])) ** 2, 4).ravel()[1:]
        assert found[row, column] == pytest.approx(energies.mean(), rel=1e-3)


def test_excess_of_noise_alone_is_that_of_a_normal_distribution():
    plane, sigma = planes(0.0)
    inner = window_excess(plane, sigma=sigma[0], spectrum=WHITE[0])[:-4, :-4]
    assert inner.mean() == pytest.approx(0.92, abs=0.02)


@pytest.mark.parametrize("spectrum", [WHITE, MOSAIC], ids=["white", "mosaic"])
def test_less_noise_is_assumed_in_texture_than_where_it_is_bare(spectrum):
    (bare, sigma), (busy, _) = planes(0.0), planes(0.15)
    in_bare, in_busy = (assume_noise(p, sigma, spectrum)[:, :-4, :-4].mean(axis=(1, 2)) for p in (bare, busy))
    assert (in_busy < in_bare).all() and (in_busy[1:] < 1.1 * sigma[1:, 0, 0]).all()
    assert (in_bare > 1.05 * sigma[:, 0, 0]).all()


def test_colour_noise_of_a_mosaic_is_taken_for_stronger_than_white():
    plane, sigma = planes(0.0)
    white, mosaic = (assume_noise(plane, sigma, spectrum)[1].mean() for spectrum in (WHITE, MOSAIC))
    assert mosaic > 1.1 * white


def test_a_part_is_assumed_to_have_what_the_whole_has():
    plane, sigma = planes(0.05)
    whole = assume_noise(plane, sigma, MOSAIC)
    part = assume_noise(plane[:, 40:], sigma[..., 20:], MOSAIC, left=40)
    assert np.array_equal(part[:, :-4, :-4], whole[:, :-4, 20:-4])


def test_no_noise_stays_none():
    plane, sigma = planes(0.05)
    assert not assume_noise(plane, 0 * sigma, WHITE).any()
