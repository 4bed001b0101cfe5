"""Statistics of the blocks of a picture, from which `prior` predicts its noise.

All powers are logarithms, relative to the power of luminance in the flattest blocks, so that a picture that is twice as
noisy has the same description.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dustpan.core.noise.calm import calm_blocks
from dustpan.core.noise.energies import BANDS as ENERGY_BANDS
from dustpan.core.noise.energies import FINE_BANDS, QUANTILES, TonePowers, tone_powers
from dustpan.core.noise.measured_blocks import (
    FREQUENCY,
    LEAST_BLOCKS,
    Blocks,
    band_masks,
    coefficient_powers,
    row_quantiles,
)
from dustpan.core.noise.model import DISPLAY, PAIRS, TONES
from dustpan.core.picture.source import Compression

FLOOR = (0.03 / DISPLAY) ** 2  # power added to all, far below any noise that shows
_FAINT = (0.25 / DISPLAY) ** 2  # power under which noise does not matter
_FLATTEST = 0.1  # share of the blocks, the flattest
_MOST_BLOCKS = 4096  # looked at for the quantiles over all
_FLAT_QUANTILES, _ALL_QUANTILES = (0.2, 0.5, 0.8), (0.3, 0.6)
_UNREST_QUANTILES = (0.02, 0.1, 0.3, 0.6, 0.9)
_CORRELATED_BANDS = ((1, 3), (4, 7), (8, 14))  # sums of both frequencies
_BANDS = ((1, 1), (2, 2), (3, 3), (4, 5), (6, 7), (8, 9), (10, 14))  # sums of both frequencies, coarse levels
FINE_PARTS = 9  # that hold a number for each plane and coefficient; they come first in a description
TABLES = 2 * 64 + 2  # numbers of a compression, which come last but one


@dataclass(frozen=True, eq=False)
class LevelStatistics:
    """Statistics of one pyramid level.

    Attributes
    ----------
    blocks : neither clipped nor constant.
    tone_power : (bins, 3, 8, 8) robust power of the flattest blocks of each tone, those included at which all noise is
        cut off.
    bins : (bins,) indices of their tones in `TONES`.
    whole : (bins,) whether their noise is not cut off, or all of the picture's is.
    estimate : (3, 8, 8) power of each coefficient estimated from the flattest blocks alone.
    presence : (17,) share of the blocks at each tone.
    cut : blocks of tones at which black or white cuts off the noise of nearly all.
    """

    blocks: Blocks
    tone_power: np.ndarray
    bins: np.ndarray
    whole: np.ndarray
    estimate: np.ndarray
    presence: np.ndarray
    cut: Blocks

    @cached_property
    def energies(self) -> TonePowers:
        """Power estimated from the energies of the blocks of each tone."""
        return tone_powers(self.blocks)


def describe(levels: Sequence[LevelStatistics | None], compression: Compression | None = None) -> np.ndarray:
    """Return the description of a picture, float32, of fixed length.

    Parameters
    ----------
    levels : of the picture, and reduced by 2 and by 4; None where there is too little. The first is always there.
    compression : of the file it came from, if that is known.
    """
    first = levels[0]
    assert first is not None
    flat, everywhere = _quantile_powers(first)
    unit = float(np.log(flat[0, 0].reshape(64)[1:].mean() + _FAINT))
    fine = [*flat, *everywhere, *_over_bins(first), first.estimate]
    parts = [(_log(power) - unit).reshape(3, 64)[:, 1:].ravel() for power in fine]
    presence = np.sqrt(first.presence)
    energies = [level.energies if level is not None else None for level in levels]
    courses = _tone_course(first, unit), _energy_course(energies[0], unit)
    parts += [courses[0].ravel(), presence, _unrest_part(first, unit)]
    parts += [_energy_part(found, unit) for found in energies] + [courses[1].ravel()]
    parts += [calmest_tone(course, presence) for course in courses]
    parts += [_calm_part(first, unit)]
    parts += [_coarse_part(level, unit) for level in levels[1:]]
    parts += [_correlation_part(level) for level in levels]
    parts += [_compression_part(compression, unit), np.array([unit])]
    return np.concatenate(parts).astype(np.float32)


def unit_of(description: np.ndarray) -> float:
    """Return the logarithm of the power that a description is relative to."""
    return float(description[-1])


def flat_correlation(level: LevelStatistics) -> np.ndarray:
    """Return (3,) correlations of the planes in the flattest blocks, for `PAIRS`."""
    return _correlations(level.blocks.coefficients[_flattest(level.blocks)], ((1, 14),))[0]


def _correlations(coefficients: np.ndarray, bands: Sequence[tuple[int, int]]) -> np.ndarray:
    """Return (bands, 3) correlations of the planes for `PAIRS`, from (N, 3, 8, 8) coefficients."""
    masks = band_masks(bands)
    planes = np.moveaxis(coefficients, 1, 0)

    def product(p: int, q: int) -> np.ndarray:
        return (masks * (planes[p] * planes[q]).mean(axis=0)).sum(axis=(1, 2))

    power = [product(plane, plane) + FLOOR for plane in range(3)]
    return np.stack([product(p, q) / (np.sqrt(power[p]) * np.sqrt(power[q])) for p, q in PAIRS], axis=1)


def _flattest(blocks: Blocks) -> np.ndarray:
    count = max(LEAST_BLOCKS, int(_FLATTEST * len(blocks.tones)))
    flattest = np.argpartition(blocks.unrest, min(count, len(blocks.tones) - 1))[:count]
    return flattest[:: max(1, len(flattest) // _MOST_BLOCKS)]


def _log(power: np.ndarray) -> np.ndarray:
    return np.log(np.maximum(power, 0) + FLOOR)


def _quantile_powers(level: LevelStatistics) -> tuple[np.ndarray, np.ndarray]:
    """Return (4, 3, 8, 8) mean and quantiles over the flattest blocks, and (2, 3, 8, 8) quantiles over all."""
    blocks = level.blocks
    flattest = _flattest(blocks)
    power = coefficient_powers(blocks.coefficients[flattest])
    flat = np.concatenate([power.mean(axis=1)[None], row_quantiles(power, _FLAT_QUANTILES)])
    everywhere = row_quantiles(coefficient_powers(_some(blocks)), _ALL_QUANTILES)
    return flat.reshape(-1, 3, 8, 8), everywhere.reshape(-1, 3, 8, 8)


def _some(blocks: Blocks) -> np.ndarray:
    return blocks.coefficients[:: max(1, len(blocks.tones) // _MOST_BLOCKS)]


def _over_bins(level: LevelStatistics) -> tuple[np.ndarray, np.ndarray]:
    """Return mean and lower quartile over tones of the logarithmic power, as powers."""
    logs = np.log(level.tone_power[level.whole] + FLOOR)
    return np.exp(logs.mean(axis=0)), np.exp(np.quantile(logs, 0.25, axis=0))


def _tone_course(level: LevelStatistics, unit: float) -> np.ndarray:
    """Return (17, 3) power of each plane at each tone, 0 where there is none."""
    power = np.zeros((len(TONES), 3), np.float64)
    mean = level.tone_power.reshape(-1, 3, 64)[:, :, 1:]
    high = (FREQUENCY.ravel()[1:] >= 6)[None, None]
    power[level.bins] = _log((mean * high).sum(axis=2) / high.sum()) - unit
    return power


def _unrest_part(level: LevelStatistics, unit: float) -> np.ndarray:
    return _log(np.quantile(level.blocks.unrest, _UNREST_QUANTILES)) - unit


def _energy_part(found: TonePowers | None, unit: float) -> np.ndarray:
    """Return mean and lower quartile over tones of the power estimated by `energies`; zeros with too few blocks."""
    if found is None or not len(found.bins):
        return np.zeros(2 * len(QUANTILES) * 3 * len(ENERGY_BANDS))
    logs = _log(found.power) - unit
    mean = np.average(logs, axis=0, weights=found.counts)
    return np.concatenate([mean.ravel(), np.quantile(logs, 0.25, axis=0).ravel()])


def _energy_course(found: TonePowers | None, unit: float) -> np.ndarray:
    """Return (17, 3) power of each plane estimated from the middle quantile, at each tone, 0 where there is none."""
    power = np.zeros((len(TONES), 3))
    if found is not None:
        power[found.bins] = _log(found.power[:, 1, :, 3:].mean(axis=2)) - unit
    return power


def calmest_tone(course: np.ndarray, presence: np.ndarray) -> np.ndarray:
    """Return what a course over tone (17, 3) shows where luminance has least: paper between letters holds noise alone.

    The planes' power there, the least of each plane, and the presence of that tone; zeros without any tone.
    """
    seen = np.flatnonzero(course.any(axis=1))
    if not len(seen):
        return np.zeros(7)
    calmest = seen[np.argmin(course[seen, 0])]
    return np.concatenate([course[calmest], course[seen].min(axis=0), [presence[calmest]]])


def _calm_part(level: LevelStatistics, unit: float) -> np.ndarray:
    """Return banded powers where colour is calm, over all tones and over those where it is most even; zeros without."""
    calm = calm_blocks(level.blocks)
    if not len(calm.tones):
        return np.zeros(2 * 3 * len(FINE_BANDS) + 2)
    parts = [np.average(_log(some.power), axis=0, weights=some.counts) - unit for some in (calm, calm.most_even())]
    uneven = np.clip([calm.unevenness.mean(), calm.unevenness.min()], 0, 2)
    return np.concatenate([*(part.ravel() for part in parts), uneven])


def _coarse_part(level: LevelStatistics | None, unit: float) -> np.ndarray:
    """Return banded powers of a coarse level; zeros where the picture is too small for it."""
    kinds = 4
    if level is None:
        return np.zeros(kinds * 3 * len(_BANDS))
    flat, everywhere = _quantile_powers(level)
    masks = band_masks(_BANDS).reshape(-1, 64)
    powers = np.stack([flat[0], flat[2], everywhere[0], level.estimate])
    logs = (_log(powers) - unit).reshape(kinds, 3, 64)
    return np.stack([logs[:, :, mask].mean(axis=2) for mask in masks]).ravel()


def _correlation_part(level: LevelStatistics | None) -> np.ndarray:
    """Return the planes' correlations in the flattest blocks and in all; zeros with too few blocks."""
    if level is None:
        return np.zeros(2 * len(_CORRELATED_BANDS) * len(PAIRS))
    flat = level.blocks.coefficients[_flattest(level.blocks)]
    return np.concatenate([_correlations(some, _CORRELATED_BANDS).ravel() for some in (flat, _some(level.blocks))])


def _compression_part(compression: Compression | None, unit: float) -> np.ndarray:
    """Return the powers of the quantisation steps' rounding errors; zeros for other files."""
    if compression is None:
        return np.zeros(TABLES)
    steps = np.stack([compression.luminance, compression.chroma]) / DISPLAY
    powers = _log(steps.reshape(-1) ** 2 / 12) - unit
    return np.concatenate([powers, [1.0, float(compression.halved)]])
