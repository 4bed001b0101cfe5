"""Noise told directly, tone by tone: where the calmest blocks of a tone spread just as those of noise alone do.

The energies of blocks that hold noise alone follow a chi-squared distribution, so every low quantile of them tells the
same power; texture spreads them farther. Where the quantiles of a tone agree, what they tell is the noise there,
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

_APART, _FAR_APART = 0.12, 0.30  # logarithm of power, by which the 5 % and the 0.5 % quantile differ from the 30 % one
_TOGETHER = 0.12  # correlation of coarse and fine energy from which it is texture, or noise that differs by place
_NEAR = 0.06  # tone, over which what one tone tells counts for its neighbours
_ELSE = 0.02  # share of the picture that must tell directly, from which it counts half against the prior
_ELSE_SPECTRUM = 0.2  # the same of the spectrum
_UNEVEN = 0.25  # logarithm of power, by which fine bands differ from the model's spectrum
_TEXTURED = 0.35  # logarithm of power, by which the coarse band exceeds the fine ones
_COARSE = 1  # index of the coarse band in `BANDS`; the finer ones are those in which noise is told
_NOTHING = 0.3  # levels of noise, under which two figures are alike
_LEAST_DOUBT = 0.1
_FAINT = (0.8 / DISPLAY) ** 2  # power added to both sides, under which nothing is told apart
_COUNTS = FINE_BANDS.sum(axis=(1, 2)).astype(float)
_PARTS = _COUNTS / _COUNTS.sum()  # of the fine bands


class Direct(NamedTuple):
    """What the blocks of each tone tell directly.

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


def read_directly(level: LevelStatistics) -> Direct:
    """Return what the energies of blocks tell directly; at tones where noise is cut off, as it was before."""
    whole, cut = level.energies, tone_powers(level.cut)
    apart = ~np.isin(cut.bins, whole.bins)
    parts = [(whole, level.blocks, np.ones(len(whole.bins), bool)), (cut, level.cut, apart)]
    return Direct(*(np.concatenate(column) for column in zip(*(_read(*part) for part in parts))))


def _read(found: TonePowers, blocks: Blocks, chosen: np.ndarray) -> Direct:
    """Return what some of the tones of blocks tell."""
    bins = tone_bins(blocks.tones)
    kept = np.array([blocks.kept[bins == tone].mean(axis=0) for tone in found.bins]).reshape(-1, 3)
    all_power = found.power / np.maximum(kept, LEAST_KEPT)[:, None, :, None]
    logs = np.log(all_power[..., _COARSE + 1 :] @ _PARTS + _FAINT)  # bins x quantiles x planes
    apart = np.abs(logs[:, 2] - logs[:, 1]) / _APART, np.abs(logs[:, 2] - logs[:, 0]) / _FAR_APART
    by_chance = 1 / np.sqrt(np.maximum(found.counts / 2, 1))
    together = np.maximum(found.together - by_chance[:, None], 0) / _TOGETHER
    trust = np.exp(-(apart[0] ** 2) - apart[1] ** 2 - together**2)
    power = np.sqrt(all_power[:, 1] * all_power[:, 2])[..., _COARSE:]
    return Direct(found.bins[chosen], found.counts[chosen], power[chosen], trust[chosen])


def hold_to(model: NoiseModel, level: LevelStatistics) -> NoiseModel:
    """Return a model of the noise held to what the blocks of the finest level tell directly, at each tone and plane."""
    direct = read_directly(level)
    if not len(direct.bins):
        return model
    weight = _weights(model, direct)
    held = _with_course(_with_spectrum(model, level, direct, weight), direct, weight)
    return replace(held, doubt=_doubt_of(held, model))


def _doubt_of(held: NoiseModel, before: NoiseModel) -> tuple[float, float]:
    """Return the doubt, in which it counts by how much the two ways to tell the noise differ."""
    means = ((held.luminance, before.luminance), (held.colour, before.colour))
    moved = [abs(np.log((after + _NOTHING) / (first + _NOTHING))) for after, first in means]
    luminance, colour = (float(np.hypot(doubt, move / 2)) for doubt, move in zip(before.doubt, moved, strict=True))
    return max(luminance, _LEAST_DOUBT), max(colour, _LEAST_DOUBT)


def _off(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (n, 3, bands), the logarithm of what is told directly beside the model."""
    bands = BANDS[_COARSE:]
    shape = np.stack([(model.spectrum[0] ** 2 * band).sum(axis=(1, 2)) / band.sum() for band in bands], axis=1)
    told = model.sigma[0].T[direct.bins, :, None] ** 2 * shape
    return np.log(direct.power + _FAINT) - np.log(told + _FAINT)


def _weights(model: NoiseModel, direct: Direct) -> np.ndarray:
    """Return (3, n), how much each tone counts: its share of the blocks, times how far it is to be trusted.

    All bands must tell the same: what is stronger in the coarse one than the model's spectrum is texture.
    """
    off = _off(model, direct)
    coarse, off = off[..., 0], off[..., 1:]
    mean = off @ _PARTS
    uneven = np.sqrt(((off - mean[..., None]) ** 2) @ _PARTS) / _UNEVEN
    textured = np.maximum(coarse - mean, 0) / _TEXTURED
    return (direct.trust * np.exp(-(uneven**2) - textured**2)).T * (direct.counts / direct.counts.sum())


def _with_spectrum(model: NoiseModel, level: LevelStatistics, direct: Direct, weight: np.ndarray) -> NoiseModel:
    """Return the model with the spectrum of the flattest blocks at the tones that are trusted."""
    _, own, flat = np.intersect1d(direct.bins, level.bins, return_indices=True)
    weight = weight[:, own]
    power = level.tone_power[flat].reshape(len(flat), 3, 64).swapaxes(0, 1)  # planes x tones x coefficients
    power = power / np.maximum(power[:, :, 1:].mean(axis=2, keepdims=True), 1e-12)
    total = weight.sum(axis=1)
    told = np.einsum("pt,ptc->pc", weight, power) / np.maximum(total, 1e-12)[:, None]
    part = (total / (total + _ELSE_SPECTRUM))[:, None]
    before = (model.spectrum[0] ** 2).reshape(3, 64)
    blended = np.exp((1 - part) * np.log(before + 1e-4) + part * np.log(told + 1e-4))
    blended[:, 0] = np.maximum(blended[:, 1], blended[:, 8])
    blended /= blended[:, 1:].mean(axis=1, keepdims=True)
    spectrum = model.spectrum.copy()
    spectrum[0] = np.sqrt(blended).reshape(3, 8, 8)
    return replace(model, spectrum=spectrum)


def _with_course(model: NoiseModel, direct: Direct, weight: np.ndarray) -> NoiseModel:
    """Return the model with the deviation that is told at trusted tones, and beside them."""
    mean = _off(model, direct)[..., 1:] @ _PARTS
    near = np.exp(-0.5 * ((TONES[:, None] - TONES[direct.bins]) / _NEAR) ** 2)
    total = weight @ near.T
    move = (weight * mean.T) @ near.T / np.maximum(total, 1e-12) * (total / (total + _ELSE))
    return replace(model, sigma=(model.sigma * np.exp(move / 2)).astype(np.float32))
