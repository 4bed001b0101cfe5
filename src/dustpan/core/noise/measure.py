"""Measure a picture's noise from the picture alone: what its flattest blocks say, and what noise can look like."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.flats import MEASURED_LEVELS, Each, FlatLevel, flat_model, measure_levels, predict_coarser
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel
from dustpan.core.noise.prior import Told, tell_noise
from dustpan.core.noise.statistics import LevelStatistics, describe, highest_power
from dustpan.core.picture.source import Compression

_DOUBTS = (0.04, 0.07)  # of what is told, between which the flattest blocks come to be believed too
_BESIDE = (1.1, 1.3)  # their deviation beside what is told, from and up to which they are believed less
_ROUNDED = 0.5  # share of the told power that the flattest blocks have at least, where nothing was rounded off
_ALIKE = (12.0, 20.0)  # unrest of busy blocks beside that of flat ones, up to which a picture is noise alone
_MOST = 1.2  # of the power of the flattest blocks, that noise can have
_EPSILON = 1e-12


def estimate_noise(crops: list[np.ndarray], compression: Compression | None = None, *, each: Each = map) -> NoiseModel:
    """Estimate the noise of a picture from crops of it.

    Parameters
    ----------
    crops : H x W x 3 float32 working pixels; a whole small picture is one crop. Crops with a side under 32 px are
        left out.
    compression : of the file, where it is a JPEG.
    each : spreads work over threads.

    Returns
    -------
    NoiseModel
        All zero where the crops hold no noise.

    Notes
    -----
    `benchmarks/measuring.py` prints its errors for white noise of 3 to 30 display values on photographs.
    """
    levels = measure_levels(crops, each)
    if not levels:
        return NoiseModel.none()
    if levels[0].drawn:
        return flat_model(levels)
    told = _told_model(levels, tell_noise(describe(_statistics(levels), compression)))
    return _blend(told, flat_model(levels), _trust_in_flats(levels[0], told, compression))


def describe_picture(crops: list[np.ndarray], compression: Compression | None = None) -> np.ndarray | None:
    """Return the description of a picture from crops of it, or None where they hold no noise: see `statistics`."""
    levels = measure_levels(crops, map)
    return describe(_statistics(levels), compression) if levels else None


def _statistics(levels: list[FlatLevel]) -> list[LevelStatistics | None]:
    found = [level.statistics for level in levels]
    return [*found, *[None] * (MEASURED_LEVELS - len(found))]


def _told_model(levels: list[FlatLevel], told: Told) -> NoiseModel:
    """Return the noise as it is told from everything that the levels show.

    No plane has more noise than its flattest blocks have variation, at the tone where they have most.
    """
    bounded = told.power.copy()
    for level, measured in enumerate(levels):
        bounded[level] = np.minimum(bounded[level], _MOST * highest_power(measured.statistics))
    return model_of(told._replace(power=bounded), levels[0].statistics.presence, levels[0].flat_share)


def _trust_in_flats(first: FlatLevel, told: NoiseModel, compression: Compression | None) -> np.ndarray:
    """Return (3,), by how much the flattest blocks alone are to be believed, 0 to 1, in each plane.

    Half, where what is told is a little doubtful: the errors of both are independent then. Not at all where it is sure,
    or where the blocks have much more power: that is texture. Wholly where all blocks are alike: there is none.
    """
    doubt = np.array([told.doubt[0], told.doubt[1], told.doubt[1]])
    power = [sigma**2 @ told.presence for sigma in (told.sigma[0], first.sigma)]
    beside = np.sqrt(power[1] / np.maximum(power[0], _EPSILON))
    trust = 0.5 * np.interp(doubt, _DOUBTS, (0, 1)) * np.interp(beside, _BESIDE, (1, 0))
    rounded = power[1] < _ROUNDED * power[0]  # a JPEG leaves nothing in most blocks, and steps in a few
    low, high = np.quantile(first.statistics.blocks.unrest, (0.02, 0.9))
    alike = float(np.interp(high / max(low, _EPSILON), _ALIKE, (1, 0)))
    return np.where(rounded | (compression is not None), 0.0, np.maximum(trust, alike))


def _blend(told: NoiseModel, flat: NoiseModel, trust: np.ndarray) -> NoiseModel:
    """Return the geometric mean of two models, `trust` (3,) being the weight of the second in each plane."""
    sigma = _geometric(told.sigma, flat.sigma, trust[:, None])
    spectrum = _geometric(told.spectrum, flat.spectrum, trust[:, None, None])
    mean = (spectrum**2).reshape(LEVELS, 3, 64)[:, :, 1:].mean(axis=2)
    spectrum = spectrum / np.sqrt(np.maximum(mean, _EPSILON))[:, :, None, None]
    return replace(told, sigma=sigma.astype(np.float32), spectrum=spectrum.astype(np.float32))


def _geometric(first: np.ndarray, second: np.ndarray, weight: np.ndarray) -> np.ndarray:
    return np.maximum(first, 1e-9) ** (1 - weight) * np.maximum(second, 1e-9) ** weight


def model_of(told: Told, presence: np.ndarray, flat_share: float = 1.0) -> NoiseModel:
    """Return the model of told noise; `presence` (17,) is the share of the picture at each tone."""
    sigma = np.zeros((LEVELS, 3, len(TONES)), np.float32)
    spectrum = np.ones((LEVELS, 3, 8, 8), np.float32)
    over_tone = np.sqrt(told.over_tone / np.maximum(told.over_tone @ presence, _EPSILON)[:, None])
    for level in range(LEVELS):
        if level >= len(told.power):
            predict_coarser(sigma, spectrum, level)
            continue
        power = told.power[level].copy()
        mean = power.reshape(3, 64)[:, 1:].mean(axis=1)
        power[:, 0, 0] = np.maximum(power[:, 0, 1], power[:, 1, 0])
        sigma[level] = np.sqrt(mean)[:, None] * over_tone
        spectrum[level] = np.sqrt(power / np.maximum(mean, _EPSILON)[:, None, None])
        spectrum[level][mean <= 0] = 1.0
    doubt = (float(told.doubt[0]), float(told.doubt[1]))
    return NoiseModel(sigma, spectrum, presence, flat_share, doubt)
