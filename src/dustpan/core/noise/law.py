"""Decide where noise was added: to display values, as in scans and many drawings, or to light, as in cameras."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import NamedTuple

import numpy as np

from dustpan.core.filters.cut_off import cut_off_deviation
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel, channel_deviations
from dustpan.core.picture.curve import decode_curve, encode_slope

_CANDIDATES = np.geomspace(1.0, 80.0, 89) / DISPLAY  # deviations tried
_SURE, _DOUBTFUL = 0.12, 0.22  # relative misfit over tone: confidence in added noise 1, and 0
_HARDLY_CUT, _ENOUGH = 0.006, 0.05  # part of the deviation that may be cut off there; weight of such tones
_RARE = 0.01  # share of the picture under which a tone hardly counts
_BETTER = (-0.02, 0.02)  # lead of the fit in light over that in display values: confidence 0, and 1
_UNEQUAL = (1.15, 1.4)  # ratio of the noisiest channel to the least noisy: confidence in light 0, and 1
_BASES = np.concatenate([[0.0], np.geomspace(1e-4, 1.0, 25)])  # variance at black beside its rise to white, tried
_DARKEST = 0.02  # tone, under which black cuts off so much that the slope of the curve is no evidence
_FLAT = (0.75, 1.33)  # of the power of fine coefficients beside that of coarse ones: neither blurred nor sharpened


class AddedNoise(NamedTuple):
    """Noise that was added to display values, before black and white cut it off.

    Attributes
    ----------
    planes, channels : (3,) deviations of the opponent planes; of red, green and blue.
    sure : 0 to 1, confidence that the noise was added to display values.
    """

    planes: np.ndarray
    channels: np.ndarray
    sure: float

    def uncut(self, model: NoiseModel) -> NoiseModel:
        """Return a model with the deviations that the noise had before clipping."""
        cut = np.maximum(self.planes[:, None] / np.maximum(model.sigma[0], 1e-9), 1.0)
        return replace(model, sigma=(model.sigma * (1 + self.sure * (cut - 1))).astype(np.float32))


def added_noise(model: NoiseModel) -> AddedNoise:
    """Return the noise that was added to display values, according to a model.

    Such noise has the same deviation at all tones, except where black or white clips it, and a flat spectrum. For other
    noise, such as a camera's, `sure` is 0.
    """
    fits = [_fit(model.sigma[0, plane], model.presence) for plane in range(3)]
    deviations = np.array([deviation for deviation, _ in fits])
    misfit = fits[0][1]
    sure = float(np.clip((_DOUBTFUL - misfit) / (_DOUBTFUL - _SURE), 0, 1))
    power = model.spectrum[0] ** 2
    flatness = power[:, 5:, 5:].mean(axis=(1, 2)) / np.maximum(power[:, 1:3, 1:3].mean(axis=(1, 2)), 1e-9)
    if not ((flatness > _FLAT[0]) & (flatness < _FLAT[1])).all():
        sure = 0.0
    channels = channel_deviations(deviations, model.correlation[0])
    return AddedNoise(deviations.astype(np.float32), channels.astype(np.float32), sure)


def light_sureness(model: NoiseModel) -> float:
    """Return the confidence, 0 to 1, that noise was added to light, before the tone curve.

    The variance of such noise rises linearly with light, and the tone curve amplifies it in the darks. Noise added to
    display values has the same deviation at all tones. If both models fit equally well, as in a picture of few tones,
    the result is 0.5. If the channels differ, the result is 1: a white balance has multiplied them.
    """
    sigma, presence = model.sigma[0, 0], model.presence
    if not sigma.any() or not presence.any():
        return 0.0
    misfit = min(_misfit(sigma, curve, presence) for curve in _light_curves())
    better = _fit(sigma, presence)[1] - misfit
    return max(float(np.interp(better, _BETTER, (0, 1))), _inequality(model))


def _inequality(model: NoiseModel) -> float:
    """Return the confidence, 0 to 1, that some channels have more noise than others."""
    planes = np.sqrt(model.sigma[0].astype(float) ** 2 @ model.presence)
    channels = channel_deviations(planes, model.correlation[0])
    return float(np.interp(channels.max() / max(channels.min(), 1e-9), _UNEQUAL, (0, 1)))


def _misfit(sigma: np.ndarray, curve: np.ndarray, presence: np.ndarray) -> float:
    """Return the relative difference of deviations over tone from the nearest scaled curve."""
    weight = _weight(presence)
    logs = np.log(np.maximum(sigma, 1e-6)) - curve
    return float(np.abs(logs - logs @ weight) @ weight)


@cache
def _light_curves() -> np.ndarray:
    """Return (candidates, 17) logarithms of the deviation at each tone of noise in light."""
    tones = np.maximum(TONES, _DARKEST).astype(np.float32)
    light, slope = decode_curve(tones).astype(float), encode_slope(tones).astype(float)
    return np.log(slope * np.sqrt(light + _BASES[:, None]))


def _weight(presence: np.ndarray) -> np.ndarray:
    """Return how much each tone counts, summing to 1."""
    weight = presence / (presence + _RARE) * np.sqrt(presence)
    return weight / weight.sum()


def _fit(sigma: np.ndarray, presence: np.ndarray) -> tuple[float, float]:
    """Return the constant deviation that fits a curve over tone best, and the relative misfit.

    The curve is flat, except where clipping reduces the deviation towards black and white. Tones without clipping get
    more weight.
    """
    if not sigma.any() or not presence.any():
        return 0.0, np.inf
    logs, weight = np.log(np.maximum(sigma, 1e-6)), _weight(presence)
    level = float(logs @ weight)
    misfit = float(np.abs(logs - level) @ weight)
    gaps = np.abs(logs - _curves()) @ weight
    best = int(gaps.argmin())
    if gaps[best] >= misfit:
        return float(np.exp(level)), misfit
    clear = weight * (_curves()[best] > np.log(_CANDIDATES[best]) - _HARDLY_CUT)
    mean = float(np.exp(logs @ clear / clear.sum())) if clear.sum() > _ENOUGH else 0.0
    return max(float(_CANDIDATES[best]), mean), float(gaps[best])


@cache
def _curves() -> np.ndarray:
    """Return (candidates, 17) logarithms of the deviation left after clipping at each tone."""
    return np.log(np.stack([cut_off_deviation(TONES.astype(float), deviation) for deviation in _CANDIDATES]))
