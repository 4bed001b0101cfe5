"""Noise power from the blocks of least energy at each tone.

The energy of a block in a frequency band is a sum of squares. For noise alone, equally strong at all blocks of a tone,
these sums follow a chi-squared distribution, so its low quantiles give the noise power. Texture adds energy, but not
equally to all blocks, so the lowest energies stay close to those of noise alone. On textured photographs with simulated
camera noise the luminance noise found this way is within 7 % (median) of the truth.
"""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np
import scipy

from dustpan.core.noise.measured_blocks import LEAST_BLOCKS, Blocks, band_masks, tone_bins

BANDS = band_masks([(1, 1), (2, 3), (4, 5), (6, 7), (8, 9), (10, 14)])
FINE_BANDS = BANDS[2:]
QUANTILES = (0.005, 0.05, 0.3)
LEAST_OF_TONE = 4 * LEAST_BLOCKS  # blocks of a tone, from which it tells anything


class TonePowers(NamedTuple):
    """Noise power estimated from the blocks of each tone.

    Attributes
    ----------
    bins : (n,) indices of the tones in `TONES`.
    counts : (n,) blocks of each.
    power : (n, 3, 3, 6), mean power of the coefficients by quantile (`QUANTILES`), plane and band.
    """

    bins: np.ndarray
    counts: np.ndarray
    power: np.ndarray


def tone_powers(blocks: Blocks) -> TonePowers:
    """Return the estimates for each tone; tones with too few blocks are left out."""
    energy = blocks.coefficients.reshape(-1, 3, 64) ** 2 @ BANDS.reshape(-1, 64).T.astype(np.float32)
    bins = tone_bins(blocks.tones)
    counts = np.bincount(bins)
    seen = np.flatnonzero(counts >= LEAST_OF_TONE)
    power = [np.quantile(energy[bins == tone], QUANTILES, axis=0) / _chi_squared()[:, None] for tone in seen]
    return TonePowers(seen, counts[seen], np.reshape(power, (-1, len(QUANTILES), 3, len(BANDS))))


@cache
def _chi_squared() -> np.ndarray:
    """Return (quantiles, bands), the quantiles of sums of as many squared normal values."""
    return chi_squared(np.array(QUANTILES)[:, None], BANDS.sum(axis=(1, 2)))


def chi_squared(quantile: np.ndarray | float, count: np.ndarray | int) -> np.ndarray:
    """Return the quantile of the sum of `count` squared normal values; `scipy.stats` takes half a second to import."""
    return 2 * scipy.special.gammaincinv(count / 2, quantile)
