"""Noise measured directly, tone by tone: where the calmest blocks of a tone spread just as those of noise alone do.

The energies of blocks that hold noise alone follow a chi-squared distribution, so every low quantile of them gives the
same power; texture spreads them farther. Where the quantiles of a tone agree, that power is the noise there,
whatever the `prior` has learned to expect.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dustpan.core.noise.energies import BANDS, FINE_BANDS, TonePowers, tone_powers
from dustpan.core.noise.measured_blocks import LEAST_KEPT, Blocks, tone_bins
from dustpan.core.noise.model import DISPLAY, NoiseModel
from dustpan.core.noise.statistics import LevelStatistics

_APART, _FAR_APART = 0.12, 0.30  # log power: tolerated gap of the 5 % and the 0.5 % quantile to the 30 % one
_TOGETHER = 0.12  # correlation of coarse and fine energy from which it is texture, or noise that differs by place
COARSE = 1  # index of the coarse band in `BANDS`; noise is measured in the finer ones
FAINT = (0.8 / DISPLAY) ** 2  # power added to both sides, under which differences do not count
_COUNTS = FINE_BANDS.sum(axis=(1, 2)).astype(float)
ALL_FINE = len(_COUNTS)


def parts_of(fine: int) -> np.ndarray:
    """Return how much each of the first fine bands counts."""
    return _COUNTS[:fine] / _COUNTS[:fine].sum()


class Direct(NamedTuple):
    """The direct measurement of each tone.

    Attributes
    ----------
    bins : (n,) indices of the tones in `TONES`.
    counts : (n,) blocks of each.
    power : (n, 3, bands), mean power of the coefficients of each plane in one coarse band and the fine ones.
    trust : (n, 3), 0 to 1, how far the energies spread as those of noise do.
    """

    bins: np.ndarray
    counts: np.ndarray
    power: np.ndarray
    trust: np.ndarray


def read_directly(level: LevelStatistics, fine: int = ALL_FINE) -> Direct:
    """Return the direct measurement from the energies of blocks; at tones where noise is cut off, as it was before.

    fine : how many of the fine bands are looked at, the coarser ones first.
    """
    whole, cut = level.energies, tone_powers(level.cut)
    apart = ~np.isin(cut.bins, whole.bins)
    parts = [(whole, level.blocks, np.ones(len(whole.bins), bool)), (cut, level.cut, apart)]
    return Direct(*(np.concatenate(column) for column in zip(*(_read(*part, fine) for part in parts))))


def _read(found: TonePowers, blocks: Blocks, chosen: np.ndarray, fine: int) -> Direct:
    """Return the direct measurement at some of the tones of blocks."""
    bins = tone_bins(blocks.tones)
    kept = np.array([blocks.kept[bins == tone].mean(axis=0) for tone in found.bins]).reshape(-1, 3)
    all_power = found.power / np.maximum(kept, LEAST_KEPT)[:, None, :, None]
    all_power = all_power[..., : COARSE + 1 + fine]
    logs = np.log(all_power[..., COARSE + 1 :] @ parts_of(fine) + FAINT)  # bins x quantiles x planes
    apart = np.abs(logs[:, 2] - logs[:, 1]) / _APART, np.abs(logs[:, 2] - logs[:, 0]) / _FAR_APART
    by_chance = 1 / np.sqrt(np.maximum(found.counts / 2, 1))
    together = np.maximum(found.together - by_chance[:, None], 0) / _TOGETHER
    trust = np.exp(-(apart[0] ** 2) - apart[1] ** 2 - together**2)
    power = np.sqrt(all_power[:, 1] * all_power[:, 2])[..., COARSE:]
    return Direct(found.bins[chosen], found.counts[chosen], power[chosen], trust[chosen])


def beside_model(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (n, 3, bands), the logarithm of the direct measurement relative to the model."""
    bands = BANDS[COARSE:][: direct.power.shape[2]]
    shape = np.stack([(model.spectrum[0] ** 2 * band).sum(axis=(1, 2)) / band.sum() for band in bands], axis=1)
    modelled = model.sigma[0].T[direct.bins, :, None] ** 2 * shape
    return np.log(direct.power + FAINT) - np.log(modelled + FAINT)
