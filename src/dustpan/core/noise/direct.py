"""Noise measured directly, tone by tone: where the calmest blocks of a tone spread just as those of noise alone do.

The energies of blocks that hold noise alone follow a chi-squared distribution, so every low quantile of them gives the
same power; texture spreads them farther. Where the quantiles of a tone agree, that power is the noise there,
whatever the `prior` has learned to expect.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from dustpan.core.noise.energies import BANDS, FINE_BANDS, TonePowers, tone_powers
from dustpan.core.noise.measured_blocks import LEAST_KEPT, Blocks, tone_bins
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel
from dustpan.core.noise.statistics import LevelStatistics
from dustpan.core.picture.source import Compression

_APART, _FAR_APART = 0.12, 0.30  # log power: tolerated gap of the 5 % and the 0.5 % quantile to the 30 % one
_TOGETHER = 0.12  # correlation of coarse and fine energy from which it is texture, or noise that differs by place
_NEAR = 0.06  # tone, over which the measurement of one tone counts for its neighbours
_ELSE = 0.02  # share of the picture measured directly from which it counts half against the prior
_ELSE_SPECTRUM = 0.2  # the same of the spectrum
_UNEVEN = 0.25  # logarithm of power, by which fine bands differ from the model's spectrum
_TEXTURED = 0.35  # logarithm of power, by which the coarse band exceeds the fine ones
_COARSE = 1  # index of the coarse band in `BANDS`; noise is measured in the finer ones
_NOTHING = 0.3  # levels of noise, under which two figures are alike
_LEAST_DOUBT = 0.1
_FAINT = (0.8 / DISPLAY) ** 2  # power added to both sides, under which differences do not count
_COARSE_STEPS = 2.0  # ratio of compression steps to noise, beyond which rounding changes its power
_SMOOTHER = 0.35  # logarithm of power, by which the fine bands fall more steeply than the model's
_ALIKE = 0.065  # the same, by which tones may differ from each other in how they fall
_RISES = 0.05  # the same, by which one band may still exceed a coarser one
_LOST = 0.5  # doubt of luminance from which a model's spectrum tells nothing of noise beside texture
_FINE, _FINER = 3, 0.8  # index of a fine band; logarithm of power, by which colour noise may fall less on the way to it
_FAINTEST = (0.1 / DISPLAY) ** 2  # power of what rounding to 8 bits leaves of nothing
_CERTAIN, _UNCERTAIN = 0.1, 0.2  # doubt up to which the model's spectrum stays, and from which it is given up
_SOME = 2e-3  # share of the picture at a tone, times its trust, from which a spectrum is seen
_FEW_TONES = 3  # on which a spectrum is seen at least
_SPREAD = 0.12  # the same, at which what tones have in common counts a third
_ELSE_SMOOTHER = 0.01  # share of the picture measured directly from which such a spectrum counts half
_COUNTS = FINE_BANDS.sum(axis=(1, 2)).astype(float)
ALL_FINE = len(_COUNTS)
_BAND_OF = np.argmax(BANDS, axis=0)  # index in `BANDS` of each coefficient's band; the mean counts to the first


def _parts(fine: int) -> np.ndarray:
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
    all_power = all_power[..., : _COARSE + 1 + fine]
    logs = np.log(all_power[..., _COARSE + 1 :] @ _parts(fine) + _FAINT)  # bins x quantiles x planes
    apart = np.abs(logs[:, 2] - logs[:, 1]) / _APART, np.abs(logs[:, 2] - logs[:, 0]) / _FAR_APART
    by_chance = 1 / np.sqrt(np.maximum(found.counts / 2, 1))
    together = np.maximum(found.together - by_chance[:, None], 0) / _TOGETHER
    trust = np.exp(-(apart[0] ** 2) - apart[1] ** 2 - together**2)
    power = np.sqrt(all_power[:, 1] * all_power[:, 2])[..., _COARSE:]
    return Direct(found.bins[chosen], found.counts[chosen], power[chosen], trust[chosen])


def hold_compressed_to(model: NoiseModel, level: LevelStatistics, compression: Compression) -> NoiseModel:
    """Return a model of a JPEG's noise whose luminance is held to the direct measurement in the bands it has kept.

    Where its steps are small beside the noise there, rounding leaves the power of noise as it was. Finer bands are
    emptied, and colour is mostly halved: they stay as they are predicted.
    """
    band = BANDS[_COARSE + 1] > 0
    noise = model.luminance * np.sqrt((model.spectrum[0, 0][band] ** 2).mean())
    if compression.luminance[band].mean() > _COARSE_STEPS * noise:
        return model
    direct = read_directly(level, fine=1)
    if not len(direct.bins):
        return model
    weight = _weights(model, direct) * np.array([1.0, 0.0, 0.0])[:, None]
    power = [(model.spectrum[0, 0] ** 2 * part).sum() for part in BANDS[_COARSE : _COARSE + 2]]
    held = _with_course(model, direct, weight, _off(model, direct) @ (np.array(power) / sum(power)))
    return replace(held, doubt=_doubt_of(held, model))


def hold_to(model: NoiseModel, level: LevelStatistics) -> NoiseModel:
    """Return a model of the noise held to the direct measurement of the finest level, at each tone and plane."""
    direct = read_directly(level)
    if not len(direct.bins):
        return model
    smoother = _as_smooth_as(model, direct)
    weight = _weights(smoother, direct)
    held = _with_spectrum(smoother, level, direct, weight)
    held = _with_course(held, direct, weight, _off(held, direct)[..., 1:] @ _parts(ALL_FINE))
    return replace(held, doubt=_doubt_of(held, model))


def _as_smooth_as(model: NoiseModel, direct: Direct) -> NoiseModel:
    """Return a model whose luminance noise is as smooth as what fills the picture alike at all tones.

    Enlarged or turned pictures hold smoother noise than the model may expect. Where the blocks of several tones each
    spread as noise alone does, and all fall in the same way from coarse to fine, that is the noise, for most texture
    differs from tone to tone. What merely exceeds the model in the coarse band may be texture, and changes nothing. Nor
    does what may be grass: it is alike everywhere, but the model is in great doubt of it, or colour noise is finer.
    """
    if model.doubt[0] > _LOST or _falls_more_than_colour(direct):
        return model
    off = _off(model, direct)[:, 0]
    parts = BANDS[_COARSE:].sum(axis=(1, 2)) / BANDS[_COARSE:].sum()
    weight = direct.trust[:, 0] * direct.counts / direct.counts.sum()
    if np.count_nonzero(weight > _SOME) < _FEW_TONES:
        return model
    fall = off - (off @ parts)[:, None]
    mean = weight @ fall / weight.sum()
    apart = float(np.sqrt(weight @ ((fall - mean) ** 2 @ parts) / weight.sum()))
    if mean[1] - mean[-1] < _SMOOTHER or np.diff(mean[1:]).max() > _RISES or apart > _ALIKE:
        return model
    unsure = np.clip((model.doubt[0] - _CERTAIN) / (_UNCERTAIN - _CERTAIN), 0, 1)
    part = unsure * np.exp(-((apart / _SPREAD) ** 2)) * weight.sum() / (weight.sum() + _ELSE_SMOOTHER)
    of_band = np.concatenate([np.full(_COARSE, mean[0]), mean])
    power = model.spectrum[0, 0] ** 2 * np.exp(part * of_band[_BAND_OF])
    spectrum = model.spectrum.copy()
    spectrum[0, 0] = np.sqrt(power / power.ravel()[1:].mean())
    return replace(model, spectrum=spectrum)


def _falls_more_than_colour(direct: Direct) -> bool:
    """Return whether luminance falls from coarse to fine more than colour noise does, as texture without colour."""
    fall = np.log(direct.power[..., 0] + _FAINTEST) - np.log(direct.power[..., _FINE] + _FAINTEST)
    weight = direct.trust * direct.counts[:, None]
    luminance, *colour = (weight * fall).sum(axis=0) / np.maximum(weight.sum(axis=0), 1e-12)
    return luminance > sum(colour) / 2 + _FINER


def _doubt_of(held: NoiseModel, before: NoiseModel) -> tuple[float, float]:
    """Return the doubt, which grows with the difference between model and direct measurement."""
    means = ((held.luminance, before.luminance), (held.colour, before.colour))
    moved = [abs(np.log((after + _NOTHING) / (first + _NOTHING))) for after, first in means]
    luminance, colour = (float(np.hypot(doubt, move / 2)) for doubt, move in zip(before.doubt, moved, strict=True))
    return max(luminance, _LEAST_DOUBT), max(colour, _LEAST_DOUBT)


def _off(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (n, 3, bands), the logarithm of the direct measurement relative to the model."""
    bands = BANDS[_COARSE:][: direct.power.shape[2]]
    shape = np.stack([(model.spectrum[0] ** 2 * band).sum(axis=(1, 2)) / band.sum() for band in bands], axis=1)
    modelled = model.sigma[0].T[direct.bins, :, None] ** 2 * shape
    return np.log(direct.power + _FAINT) - np.log(modelled + _FAINT)


def _weights(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (3, n), how much each tone counts: its share of the blocks, times how far it is to be trusted.

    All bands must agree: what is stronger in the coarse one than the model's spectrum is texture.
    """
    off = _off(model, direct)
    coarse, off = off[..., 0], off[..., 1:]
    parts = _parts(off.shape[2])
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
