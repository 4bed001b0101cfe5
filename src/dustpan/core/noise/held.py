"""Hold a predicted model of the noise to what is measured directly."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.direct import ALL_FINE, COARSE, Direct, beside_model, parts_of, read_directly
from dustpan.core.noise.energies import BANDS
from dustpan.core.noise.model import TONES, NoiseModel
from dustpan.core.noise.smoother import as_smooth_as
from dustpan.core.noise.statistics import LevelStatistics
from dustpan.core.picture.source import Compression

_NEAR = 0.06  # tone, over which the measurement of one tone counts for its neighbours
_ELSE = 0.02  # share of the picture measured directly from which it counts half against the prior
_ELSE_SPECTRUM = 0.2  # the same of the spectrum
_UNEVEN = 0.25  # logarithm of power, by which fine bands differ from the model's spectrum
_TEXTURED = 0.35  # logarithm of power, by which the coarse band exceeds the fine ones
_NOTHING = 0.3  # levels of noise, under which two figures are alike
_LEAST_DOUBT = 0.1
_COARSE_STEPS = 2.0  # ratio of compression steps to noise, beyond which rounding changes its power


def hold_compressed_to(model: NoiseModel, level: LevelStatistics, compression: Compression) -> NoiseModel:
    """Return a model of a JPEG's noise whose luminance is held to the direct measurement in the bands it has kept.

    Where its steps are small beside the noise there, rounding leaves the power of noise as it was. Finer bands are
    emptied, and colour is mostly halved: they stay as they are predicted.
    """
    band = BANDS[COARSE + 1] > 0
    noise = model.luminance * np.sqrt((model.spectrum[0, 0][band] ** 2).mean())
    if compression.luminance[band].mean() > _COARSE_STEPS * noise:
        return model
    direct = read_directly(level, fine=1)
    if not len(direct.bins):
        return model
    weight = _weights(model, direct) * np.array([1.0, 0.0, 0.0])[:, None]
    power = [(model.spectrum[0, 0] ** 2 * part).sum() for part in BANDS[COARSE : COARSE + 2]]
    held = _with_course(model, direct, weight, beside_model(model, direct) @ (np.array(power) / sum(power)))
    return replace(held, doubt=_doubt_of(held, model))


def hold_to(model: NoiseModel, level: LevelStatistics) -> NoiseModel:
    """Return a model of the noise held to the direct measurement of the finest level, at each tone and plane."""
    direct = read_directly(level)
    if not len(direct.bins):
        return model
    smoother = as_smooth_as(model, direct)
    weight = _weights(smoother, direct)
    held = _with_spectrum(smoother, level, direct, weight)
    held = _with_course(held, direct, weight, beside_model(held, direct)[..., 1:] @ parts_of(ALL_FINE))
    return replace(held, doubt=_doubt_of(held, model))


def _doubt_of(held: NoiseModel, before: NoiseModel) -> tuple[float, float]:
    """Return the doubt, which grows with the difference between model and direct measurement."""
    means = ((held.luminance, before.luminance), (held.colour, before.colour))
    moved = [abs(np.log((after + _NOTHING) / (first + _NOTHING))) for after, first in means]
    luminance, colour = (float(np.hypot(doubt, move / 2)) for doubt, move in zip(before.doubt, moved, strict=True))
    return max(luminance, _LEAST_DOUBT), max(colour, _LEAST_DOUBT)


def _weights(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (3, n), how much each tone counts: its share of the blocks, times how far it is to be trusted.

    All bands must agree: what is stronger in the coarse one than the model's spectrum is texture.
    """
    off = beside_model(model, direct)
    coarse, off = off[..., 0], off[..., 1:]
    parts = parts_of(off.shape[2])
    mean = off @ parts
    uneven = np.sqrt(((off - mean[..., None]) ** 2) @ parts) / _UNEVEN
    textured = np.maximum(coarse - mean, 0) / _TEXTURED
    return (direct.trust * np.exp(-(uneven**2) - textured**2)).T * (direct.counts / direct.counts.sum())


def _with_spectrum(model: NoiseModel, level: LevelStatistics, direct: Direct, weight: np.ndarray) -> NoiseModel:
    """Return the model with the spectrum of the flattest blocks at the tones that are trusted."""
    _, own, flat = np.intersect1d(direct.bins, level.bins, return_indices=True)
    weight = weight[:, own]
    power = level.tone_power[flat].reshape(len(flat), 3, 64).swapaxes(0, 1)  # planes x tones x coefficients
    power = power / np.maximum(power[:, :, 1:].mean(axis=2, keepdims=True), 1e-12)
    total = weight.sum(axis=1)
    mixed = np.einsum("pt,ptc->pc", weight, power) / np.maximum(total, 1e-12)[:, None]
    part = (total / (total + _ELSE_SPECTRUM))[:, None]
    before = (model.spectrum[0] ** 2).reshape(3, 64)
    blended = np.exp((1 - part) * np.log(before + 1e-4) + part * np.log(mixed + 1e-4))
    blended[:, 0] = np.maximum(blended[:, 1], blended[:, 8])
    blended /= blended[:, 1:].mean(axis=1, keepdims=True)
    spectrum = model.spectrum.copy()
    spectrum[0] = np.sqrt(blended).reshape(3, 8, 8)
    return replace(model, spectrum=spectrum)


def _with_course(model: NoiseModel, direct: Direct, weight: np.ndarray, mean: np.ndarray) -> NoiseModel:
    """Return the model with the deviation measured at trusted tones, and beside them.

    mean : (n, 3), the logarithm of the direct measurement relative to the model.
    """
    near = np.exp(-0.5 * ((TONES[:, None] - TONES[direct.bins]) / _NEAR) ** 2)
    total = weight @ near.T
    move = (weight * mean.T) @ near.T / np.maximum(total, 1e-12) * (total / (total + _ELSE))
    return replace(model, sigma=(model.sigma * np.exp(move / 2)).astype(np.float32))
