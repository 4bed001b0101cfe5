"""Measure noise from the picture alone, combining its flattest blocks (`flats`) with a learned prior (`prior`)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.flats import MEASURED_LEVELS, FlatLevel, flat_model, measure_levels, predict_coarser
from dustpan.core.noise.measured_blocks import LEAST_KEPT, is_silent, steepness
from dustpan.core.noise.model import DOUBTFUL, LEVELS, TONES, NoiseModel, geometric_mean, unit_spectrum
from dustpan.core.noise.prior import Prediction, predict_noise
from dustpan.core.noise.statistics import LevelStatistics, describe, highest_power
from dustpan.core.noise.white import tell_white_by_colour
from dustpan.core.picture.source import Compression
from dustpan.core.work.sharing import Each

_BESIDE = (1.1, 1.3)  # their deviation beside what is told, from and up to which they are believed less
_SURE = (0.12, 0.25)  # their expected error, up to which that does not matter, and from which it does
_IN_DOUBT = (DOUBTFUL, 2 * DOUBTFUL)  # expected error of what is told, up to and from which its middle or mean counts
_ROUNDED = 0.5  # share of the told power that the flattest blocks have at least, where nothing was rounded off
_PREDICTED = (0.97, 1.2)  # deviation of a coarse level beside that predicted; true: 1.0 to 1.1, in colour to 1.2
_APART = (0.5, 1.0)  # by how many of both expected errors they lie over what is told: up to which that is chance
_FEW = (0.03, 0.06)  # their expected error, up to which that does not matter, and from which it does
_ALIKE = (4.2, 5.2)  # unrest of busy blocks beside that of flat ones, up to which a picture is noise alone (2 to 4)
_SMOOTH = (6e4, 2e5)  # unrest beside fine variation, up to which it may be that of noise, and from which a gradient's
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
    silent = compression is None and is_silent(crops, each)  # a coarse compression rounds noise to nothing
    levels = [] if silent else measure_levels(crops, each)
    if not levels:
        return NoiseModel.none()
    if levels[0].drawn:
        return flat_model(levels)
    told = _bounded(_mean_in_doubt(predict_noise(describe(_statistics(levels), compression))), levels)
    first = levels[0]
    model = model_of(told, first.statistics.presence, first.flat_share)
    trust = _trust_in_flats(first, model, told.doubt, compression)
    blended = _blend(model, flat_model(levels), trust, told.doubt, _cut_tones(first) & trust.any())
    before = _before_cut(blended, first)
    return _held(before if compression is not None else tell_white_by_colour(before, first.statistics.blocks))


def describe_picture(crops: list[np.ndarray], compression: Compression | None = None) -> np.ndarray | None:
    """Return the description of a picture from crops of it, or None where they hold no noise: see `statistics`."""
    levels = measure_levels(crops, map)
    return describe(_statistics(levels), compression) if levels else None


def _statistics(levels: list[FlatLevel]) -> list[LevelStatistics | None]:
    found = [level.statistics for level in levels]
    return [*found, *[None] * (MEASURED_LEVELS - len(found))]


def _mean_in_doubt(told: Prediction) -> Prediction:
    """Return the model of a prediction; in doubt the mean of the possible deviations, which exceeds their median.

    The logarithm of the deviation is taken to be normally distributed with the doubt as its standard deviation.
    """
    doubt = np.minimum(told.doubt[0, 0], 1)
    louder = np.exp(np.interp(doubt, _IN_DOUBT, (0, 1)) * doubt**2)
    return told._replace(power=told.power * louder[[0, 1, 1]][:, None, None])


def _bounded(told: Prediction, levels: list[FlatLevel]) -> Prediction:
    """Return the predicted noise, limited by the flattest blocks.

    No plane has more noise than the variance of its flattest blocks at the tone where that is largest.
    """
    bounded = told.power.copy()
    for level, measured in enumerate(levels):
        bounded[level] = np.minimum(bounded[level], _MOST * highest_power(measured.statistics))
    return told._replace(power=bounded)


def _trust_in_flats(
    first: FlatLevel, model: NoiseModel, doubt: np.ndarray, compression: Compression | None
) -> np.ndarray:
    """Return (2, 2) weights of the flattest blocks against the prediction.

    First axis: mean, shape over tone; second: luminance, colour.

        Weights are inverse expected squared errors. They are 0 where the blocks have much more power than predicted, or
        more than the errors explain: that is texture. They are 0 in a JPEG, whose quantisation leaves nothing in most
        blocks and whole steps in a few. They are 1 where all blocks are alike and not smooth, which is noise alone.
    """
    power = [sigma**2 @ model.presence for sigma in (model.sigma[0], first.sigma)]
    beside = np.sqrt(power[1] / np.maximum(power[0], _EPSILON))
    over = np.array([beside[0], beside[1:].mean()])
    apart = (over - 1) / np.maximum(np.hypot(doubt[0, 0], doubt[1, 0]), _EPSILON)
    much = np.interp(over, _BESIDE, (0, 1)) * np.interp(doubt[1, 0], _SURE, (0, 1))
    more = np.interp(apart, _APART, (0, 1)) * np.interp(doubt[1, 0], _FEW, (0, 1))
    weight = doubt[0] ** 2 / (doubt[0] ** 2 + doubt[1] ** 2) * (1 - np.maximum(much, more))
    rounded = power[1][0] < _ROUNDED * power[0][0]
    return np.zeros((2, 2)) if rounded or compression is not None else np.maximum(weight, _noise_alone(first))


def _noise_alone(first: FlatLevel) -> float:
    """Return 1 for a picture of nothing but noise, 0 for others."""
    blocks = first.statistics.blocks
    low, high = np.quantile(blocks.unrest, (0.02, 0.9))
    alike = np.interp(high / max(low, _EPSILON), _ALIKE, (1, 0))
    return float(alike * np.interp(steepness(blocks), _SMOOTH, (1, 0)))


def _cut_tones(first: FlatLevel) -> np.ndarray:
    """Return (17,), whether all blocks of a tone are clipped, so that only these can be measured."""
    cut = np.zeros(len(TONES), bool)
    cut[first.statistics.bins[~first.statistics.whole]] = True
    return cut


def _before_cut(model: NoiseModel, first: FlatLevel) -> NoiseModel:
    """Return the noise as it was before clipping, from the part that the measured blocks have kept."""
    kept = np.maximum(first.statistics.blocks.kept.mean(axis=0), LEAST_KEPT)
    return replace(model, sigma=(model.sigma / np.sqrt(kept)[:, None]).astype(np.float32))


def _blend(told: NoiseModel, flat: NoiseModel, trust: np.ndarray, doubt: np.ndarray, cut: np.ndarray) -> NoiseModel:
    """Return the weighted geometric mean of two models.

    Parameters
    ----------
    trust : (2, 2), the weight of the second for mean and course over tone, of luminance and of colour.
    doubt : see `Prediction`.
    cut : (17,), tones at which the second alone counts.
    """
    (mean, course), presence = trust[:, [0, 1, 1]], told.presence
    by_tone = np.where(cut, 1.0, course[:, None])
    both = [np.sqrt(np.maximum(model.sigma**2 @ presence, _EPSILON)) for model in (told, flat)]  # (5, 3) each
    courses = [model.sigma / overall[..., None] for model, overall in zip((told, flat), both, strict=True)]
    sigma = geometric_mean(both[0], both[1], mean)[..., None] * geometric_mean(courses[0], courses[1], by_tone)
    spectrum = unit_spectrum(geometric_mean(told.spectrum, flat.spectrum, mean[:, None, None]))
    left = np.sqrt(((1 - trust[0]) * doubt[0, 0]) ** 2 + (trust[0] * doubt[1, 0]) ** 2)
    flat_weight = np.float32(trust.any())  # texture is grey: it hardly changes how the planes correlate
    correlation = told.correlation + flat_weight * (flat.correlation - told.correlation)
    return replace(
        told,
        sigma=sigma.astype(np.float32),
        spectrum=spectrum.astype(np.float32),
        doubt=(float(left[0]), float(left[1])),
        correlation=correlation,
    )


def _held(model: NoiseModel) -> NoiseModel:
    """Return a model with coarse levels limited to about what the low frequencies of the finer level predict."""
    sigma, spectrum = model.sigma.copy(), model.spectrum.copy()
    for level in range(1, LEVELS):
        predicted = sigma.copy(), spectrum.copy()
        predict_coarser(*predicted, level)
        if level >= MEASURED_LEVELS:
            sigma, spectrum = predicted
            continue
        power = [side[level].astype(float) ** 2 @ model.presence for side in (sigma, predicted[0])]
        beside = np.sqrt(power[0] / np.maximum(power[1], _EPSILON))
        sigma[level] *= (np.clip(beside, *_PREDICTED) / np.maximum(beside, 1e-6))[:, None]
    return replace(model, sigma=sigma, spectrum=spectrum)


def model_of(told: Prediction, presence: np.ndarray, flat_share: float = 1.0) -> NoiseModel:
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
    doubt = (float(told.doubt[0, 0, 0]), float(told.doubt[0, 0, 1]))
    last = [len(told.correlation) - 1] * (LEVELS - len(told.correlation))
    correlation = told.correlation[[*range(len(told.correlation)), *last]].astype(np.float32)
    return NoiseModel(sigma, spectrum, presence, flat_share, doubt, correlation)
