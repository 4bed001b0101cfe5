"""How peaks are described and judged."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.filters.networks import load_network
from dustpan.core.filters.speck_peaks import cut_around
from dustpan.core.filters.speck_shapes import LIKELY, leaning, look
from dustpan.core.filters.specks import BRIGHT, DARK, judge_peaks


def odds_of(specks: float, share: float, count: int = 20_000) -> tuple[np.ndarray, np.ndarray]:
    """Odds that are right when a peak is as likely a speck as was taught; and which peaks, of two bells, are specks."""
    rng = np.random.default_rng(5)
    true = rng.random(count) < share
    seen = np.where(true, specks, 0) + rng.normal(0, 1, count)
    return (seen**2 - (seen - specks) ** 2) / 2 - 2, true


def wrong_part(taken: np.ndarray, true: np.ndarray) -> float:
    return np.count_nonzero(taken & ~true) / max(np.count_nonzero(taken), 1)


@pytest.mark.parametrize("share", [0.004, 0.02, 0.1])
@pytest.mark.parametrize("apart", [3.0, 4.0, 9.0])
def test_as_few_specks_are_missed_as_few_sound_peaks_allow(share, apart):
    odds, true = odds_of(apart, share)
    taken, informed = odds + leaning(odds) > LIKELY, odds + np.log(share / (1 - share)) + 2 > LIKELY
    assert taken[true].mean() > 0.95 * informed[true].mean()
    assert wrong_part(taken, true) < max(0.1, wrong_part(informed, true) + 0.02)


def test_where_there_are_no_specks_hardly_a_peak_is_taken():
    odds, _ = odds_of(5.0, 0.0)
    assert np.count_nonzero(odds + leaning(odds) > LIKELY) <= 2 and leaning(np.empty(0)) == 0


def test_a_dark_speck_is_a_bright_one_of_the_negative():
    rng = np.random.default_rng(6)
    x = np.arange(96)
    tile = (0.5 + 0.2 * np.sin(x / 9)[:, None] + rng.normal(0, 0.01, (96, 96, 3))).astype(np.float32)
    for row, column in rng.integers(6, 90, (40, 2)):
        tile[row, column] -= rng.uniform(0.1, 0.3, 3).astype(np.float32)
    asked = {"sigma": np.full((3, 96, 96), 0.01, np.float32), "sensitivity": 6.0, "coloured": True}
    sides = ((tile, DARK), (1 - tile, BRIGHT))
    dark, bright = (judge_peaks(side, polarity=polarity, **asked).chosen(6.0) for side, polarity in sides)
    assert len(dark.points) > 30 and np.array_equal(dark.points, bright.points)
    assert np.allclose(dark.added, -bright.added, atol=2e-3)


def test_surroundings_are_mirrored_past_the_border():
    rng = np.random.default_rng(6)
    tile = rng.random((20, 30, 3)).astype(np.float32)
    points = np.array([[4, 4], [15, 25], [10, 12], [4, 25]])
    wide = np.pad(tile, ((7, 7), (7, 7), (0, 0)), mode="reflect")
    for patch, (row, column) in zip(cut_around(tile, points, 15), points, strict=True):
        assert np.array_equal(patch, wide[row : row + 15, column : column + 15])


@pytest.mark.parametrize("name", ["first", "second", "added"])
def test_a_network_says_the_same_of_a_peak_whatever_it_sees_beside_it(name):
    network, rng = load_network(f"specks_{name}"), np.random.default_rng(6)
    shapes = {entry.name: entry.shape[1:] for entry in network.get_inputs()}
    pixels, facts = (rng.normal(0, 1, (40, *shapes[key])).astype(np.float32) for key in ("pixels", "facts"))
    said = look(network, pixels, facts)
    assert np.abs(said - said[0]).max() > 1
    for part in (slice(0, 1), slice(7, 9), slice(3, 40)):
        assert np.array_equal(look(network, pixels[part], facts[part]), said[part])
