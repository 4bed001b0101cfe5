"""Noise that is smoother than a model expects, told by what several tones have in common.

Enlarged or turned pictures hold such noise. Where the blocks of several tones each spread as noise alone does, and all
fall in the same way from coarse to fine, that is the noise, for most texture differs from tone to tone. What merely
exceeds the model in the coarse band may be texture, and changes nothing. Nor does what may be grass: it is alike
everywhere, but the model is in great doubt of it, or colour noise is finer.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.direct import COARSE, Direct, beside_model
from dustpan.core.noise.energies import BANDS
from dustpan.core.noise.model import DISPLAY, NoiseModel

_SMOOTHER = 0.35  # logarithm of power, by which the fine bands fall more steeply than the model's
_RISES = 0.05  # the same, by which one band may still exceed a coarser one
_ALIKE, _SPREAD = 0.065, 0.12  # the same, by which tones may differ; at which what they have in common counts a third
_LOST = 0.5  # doubt of luminance from which a model's spectrum tells nothing of noise beside texture
_CERTAIN, _UNCERTAIN = 0.1, 0.2  # doubt up to which the model's spectrum stays, and from which it is given up
_FINE, _FINER = 3, 0.8  # index of a fine band; logarithm of power, by which colour may fall less on the way to it
_FAINTEST = (0.1 / DISPLAY) ** 2  # power of what rounding to 8 bits leaves of nothing
_SOME, _FEW_TONES = 2e-3, 3  # share of the picture at a tone that counts, and how many tones must
_ELSE = 0.01  # share of the picture measured directly from which its spectrum counts half


def as_smooth_as(model: NoiseModel, direct: Direct) -> NoiseModel:
    """Return a model whose luminance noise is as smooth as what fills the picture alike at all tones.

    Parameters
    ----------
    direct : of the finest level, with all bands.
    """
    if model.doubt[0] > _LOST or _falls_more_than_colour(direct):
        return model
    weight = direct.trust[:, 0] * direct.counts / direct.counts.sum()
    if np.count_nonzero(weight > _SOME) < _FEW_TONES:
        return model
    mean, apart = _common_fall(beside_model(model, direct)[:, 0], weight)
    if mean[1] - mean[-1] < _SMOOTHER or np.diff(mean[1:]).max() > _RISES or apart > _ALIKE:
        return model
    unsure = np.clip((model.doubt[0] - _CERTAIN) / (_UNCERTAIN - _CERTAIN), 0, 1)
    part = unsure * np.exp(-((apart / _SPREAD) ** 2)) * weight.sum() / (weight.sum() + _ELSE)
    of_band = np.concatenate([np.full(COARSE, mean[0]), mean])
    power = model.spectrum[0, 0] ** 2 * np.exp(part * of_band[np.argmax(BANDS, axis=0)])
    spectrum = model.spectrum.copy()
    spectrum[0, 0] = np.sqrt(power / power.ravel()[1:].mean())
    return replace(model, spectrum=spectrum)


def _common_fall(off: np.ndarray, weight: np.ndarray) -> tuple[np.ndarray, float]:
    """Return how tones (n, bands) differ from a model from band to band on average, and how far from each other."""
    parts = BANDS[COARSE:].sum(axis=(1, 2)) / BANDS[COARSE:].sum()
    fall = off - (off @ parts)[:, None]
    mean = weight @ fall / weight.sum()
    return mean, float(np.sqrt(weight @ ((fall - mean) ** 2 @ parts) / weight.sum()))


def _falls_more_than_colour(direct: Direct) -> bool:
    """Return whether luminance falls from coarse to fine more than colour noise does, as texture without colour."""
    fall = np.log(direct.power[..., 0] + _FAINTEST) - np.log(direct.power[..., _FINE] + _FAINTEST)
    weight = direct.trust * direct.counts[:, None]
    luminance, *colour = (weight * fall).sum(axis=0) / np.maximum(weight.sum(axis=0), 1e-12)
    return luminance > sum(colour) / 2 + _FINER
