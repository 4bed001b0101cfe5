"""Blocks in which colour is calm: photographs have hardly any fine detail of colour there, only noise.

References
----------
Ponomarenko, N. et al. (2007), doi 10.1109/IGARSS.2007.4422833 (blocks chosen by low frequencies, measured on others).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dustpan.core.noise.energies import FINE_BANDS, LEAST_OF_TONE, chi_squared
from dustpan.core.noise.measured_blocks import LEAST_BLOCKS, LEAST_KEPT, Blocks, band_masks, tone_bins

_LOW = band_masks([(1, 3)])[0]  # by which calm blocks are chosen
_CALM, _MOST_CALM = 0.1, 1024  # share of the blocks of a tone, and how many of them at most
_LEAST = 1e-12


class Calm(NamedTuple):
    """What the blocks of some tones show where colour has no coarse detail.

    Attributes
    ----------
    tones : (n,), their means.
    counts : (n,), how many blocks there are.
    power : (n, 3, 4), of each plane in each of the bands of frequencies, before black and white cut it off.
    """

    tones: np.ndarray
    counts: np.ndarray
    power: np.ndarray

    @property
    def colour(self) -> np.ndarray:
        """Power of colour at each tone."""
        return self.power[:, 1:].mean(axis=(1, 2))

    @property
    def unevenness(self) -> np.ndarray:
        """Deviation of the logarithms of colour's deviations in the bands, at each tone."""
        return np.log(np.maximum(self.power[:, 1:], _LEAST)).reshape(-1, 2 * len(FINE_BANDS)).std(axis=1) / 2

    def most_even(self) -> Calm:
        """Return the tones at which colour is most even, which hold half the blocks: others may hold texture alone."""
        order = np.argsort(self.unevenness)
        before = np.cumsum(self.counts[order]) - self.counts[order]
        return self._of(order[before < self.counts.sum() / 2])

    def _of(self, chosen: np.ndarray) -> Calm:
        return Calm(*(values[chosen] for values in self))


def calm_blocks(blocks: Blocks) -> Calm:
    """Return what the calmest blocks of each tone show: the medians over them."""
    unrest = (blocks.coefficients[:, 1:] ** 2 * _LOW).sum(axis=(1, 2, 3))
    bins = tone_bins(blocks.tones)
    groups = [np.flatnonzero(bins == tone) for tone in np.unique(bins)]
    groups = [group for group in groups if len(group) >= LEAST_OF_TONE]
    calmest = [_calmest(group, unrest[group]) for group in groups]
    power = [_band_powers(blocks.coefficients[calm], blocks.kept[calm]) for calm in calmest]
    tones = np.array([np.median(blocks.tones[group]) for group in groups])
    counts = np.array([len(group) for group in groups])
    return Calm(tones, counts, np.reshape(power, (-1, 3, len(FINE_BANDS))))


def _calmest(group: np.ndarray, unrest: np.ndarray) -> np.ndarray:
    count = max(LEAST_BLOCKS, int(_CALM * len(group)))
    calm = group[np.argpartition(unrest, count - 1)[:count]]
    return calm[:: -(-count // _MOST_CALM)]


def _band_powers(coefficients: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """Return (3, 4) powers of normal values, from the medians over blocks of their sums of squares."""
    squares = coefficients**2 / np.maximum(kept.mean(axis=0), LEAST_KEPT)[:, None, None]
    sums = [(np.median(squares[:, :, band].sum(axis=2), axis=0), band.sum()) for band in FINE_BANDS]
    return np.stack([median / chi_squared(0.5, count) for median, count in sums], axis=1)
