"""Measure noise from the picture alone.

A learned `prior` predicts it from statistics of the picture's blocks; where these allow a direct measurement, it is
held to that.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.blank import photographed_parts
from dustpan.core.noise.flats import MEASURED_LEVELS, FlatLevel, flat_model, measure_levels, predict_coarser
from dustpan.core.noise.held import hold_compressed_to, hold_to
from dustpan.core.noise.measured_blocks import LEAST_KEPT, is_rounded, is_silent
from dustpan.core.noise.model import LEVELS, TONES, NoiseModel
from dustpan.core.noise.prior import Prediction, predict_noise
from dustpan.core.noise.statistics import LevelStatistics, describe
from dustpan.core.picture.source import Compression
from dustpan.core.work.sharing import Each

_EPSILON = 1e-12
_UNTOLD = 0.97  # doubt from which what may be a compressed or rounded drawing counts as free of noise


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
    crops = [np.clip(crop, 0, 1) for crop in crops]  # what lies beyond counts as cut off
    crops = photographed_parts(crops) if compression is None else crops
    silent = compression is None and is_silent(crops, each)  # a coarse compression rounds noise to nothing
    coarse = compression is not None or is_rounded(crops)
    levels = [] if silent else measure_levels(crops, each, coarse=coarse)
    if not levels:
        return NoiseModel.none()
    first = levels[0]
    if first.drawn and not coarse:
        return flat_model(levels)
    prediction = predict_noise(describe(_statistics(levels), compression))
    if first.drawn and prediction.doubt[0, 0] > _UNTOLD:
        return NoiseModel.none()
    model = _before_cut(model_of(prediction, first.statistics.presence, first.flat_share), first)
    if compression is not None:  # what it has rounded to nothing would pass for calm
        return hold_compressed_to(model, first.statistics, compression)
    return hold_to(model, first.statistics)


def describe_picture(crops: list[np.ndarray], compression: Compression | None = None) -> np.ndarray | None:
    """Return the description of a picture from crops of it, or None where they hold no noise: see `statistics`."""
    levels = measure_levels(crops, map, coarse=compression is not None or is_rounded(crops))
    return describe(_statistics(levels), compression) if levels else None


def _statistics(levels: list[FlatLevel]) -> list[LevelStatistics | None]:
    found = [level.statistics for level in levels]
    return [*found, *[None] * (MEASURED_LEVELS - len(found))]


def _before_cut(model: NoiseModel, first: FlatLevel) -> NoiseModel:
    """Return the noise as it was before clipping, from the part that the measured blocks have kept."""
    kept = np.maximum(first.statistics.blocks.kept.mean(axis=0), LEAST_KEPT)
    return replace(model, sigma=(model.sigma / np.sqrt(kept)[:, None]).astype(np.float32))


def model_of(prediction: Prediction, presence: np.ndarray, flat_share: float = 1.0) -> NoiseModel:
    """Return the model of a prediction; `presence` (17,) is the share of the picture at each tone."""
    sigma = np.zeros((LEVELS, 3, len(TONES)), np.float32)
    spectrum = np.ones((LEVELS, 3, 8, 8), np.float32)
    over_tone = np.sqrt(prediction.over_tone / np.maximum(prediction.over_tone @ presence, _EPSILON)[:, None])
    for level in range(LEVELS):
        if level >= len(prediction.power):
            predict_coarser(sigma, spectrum, level)
            continue
        power = prediction.power[level].copy()
        mean = power.reshape(3, 64)[:, 1:].mean(axis=1)
        power[:, 0, 0] = np.maximum(power[:, 0, 1], power[:, 1, 0])
        sigma[level] = np.sqrt(mean)[:, None] * over_tone
        spectrum[level] = np.sqrt(power / np.maximum(mean, _EPSILON)[:, None, None])
        spectrum[level][mean <= 0] = 1.0
    doubt = (float(prediction.doubt[0, 0]), float(prediction.doubt[0, 1]))
    last = [len(prediction.correlation) - 1] * (LEVELS - len(prediction.correlation))
    correlation = prediction.correlation[[*range(len(prediction.correlation)), *last]].astype(np.float32)
    return NoiseModel(sigma, spectrum, presence, flat_share, doubt, correlation)
