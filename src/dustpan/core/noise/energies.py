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
LEAST_OF_TONE = 4 * LEAST_BLOCKS  # blocks of a tone, under which it is left out


class TonePowers(NamedTuple):
    """Noise power estimated from the blocks of each tone.

    Attributes
    ----------
    bins : (n,) indices of the tones in `TONES`.
    counts : (n,) blocks of each.
    power : (n, 3, 3, 6), mean power of the coefficients by quantile (`QUANTILES`), plane and band.
    together : (n, 3), correlation of fine and coarse energy over the calmer half of the blocks, for each plane; that of
        noise alone is none, and texture has more of both at some places.
    """

    bins: np.ndarray
    counts: np.ndarray
    power: np.ndarray
    together: np.ndarray


def tone_powers(blocks: Blocks) -> TonePowers:
    """Return the estimates for each tone; tones with too few blocks are left out."""
    energy = blocks.coefficients.reshape(-1, 3, 64) ** 2 @ BANDS.reshape(-1, 64).T.astype(np.float32)
    bins = tone_bins(blocks.tones)
    counts = np.bincount(bins)
    seen = np.flatnonzero(counts >= LEAST_OF_TONE)
    of_tones = [energy[bins == tone] for tone in seen]
    power = [np.quantile(own, QUANTILES, axis=0) / _chi_squared()[:, None] for own in of_tones]
    together = np.reshape([_together(own) for own in of_tones], (-1, 3))
    return TonePowers(seen, counts[seen], np.reshape(power, (-1, len(QUANTILES), 3, len(BANDS))), together)


def _together(energy: np.ndarray) -> np.ndarray:
    """Return (3,) correlations of the logarithms of coarse and fine energy, (N, 3, bands), over the calmer half."""
    coarse, fine = (np.log(energy[:, :, part].sum(axis=2) + 1e-9) for part in (slice(0, 2), slice(2, None)))
    found = []
    for plane in range(3):
        calm = fine[:, plane] <= np.median(fine[:, plane])
        own = [side[calm, plane] - side[calm, plane].mean() for side in (coarse, fine)]
        found.append((own[0] * own[1]).mean() / max(own[0].std() * own[1].std(), 1e-9))
    return np.array(found)


@cache
def _chi_squared() -> np.ndarray:
    """Return (quantiles, bands), the quantiles of sums of as many squared normal values."""
    return chi_squared(np.array(QUANTILES)[:, None], BANDS.sum(axis=(1, 2)))


def chi_squared(quantile: np.ndarray | float, count: np.ndarray | int) -> np.ndarray:
    """Return the quantile of the sum of `count` squared normal values; `scipy.stats` takes half a second to import."""
    return 2 * scipy.special.gammaincinv(count / 2, quantile)
