"""Which law noise follows: added to display values, as scans and many renderings have it, or not."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import NamedTuple

import numpy as np

from dustpan.core.filters.cut_off import cut_off_deviation
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel, channel_deviations

_CANDIDATES = np.geomspace(1.0, 80.0, 89) / DISPLAY  # deviations tried
_SURE, _DOUBTFUL = 0.12, 0.22  # relative misfit over tone up to which the law holds, and from which it does not
_HARDLY_CUT, _ENOUGH = 0.006, 0.05  # part of the deviation that may be cut off there; weight of such tones
_RARE = 0.01  # share of the picture under which a tone hardly counts
_FLAT = (0.75, 1.33)  # of the power of fine coefficients beside that of coarse ones: neither blurred nor sharpened


class AddedNoise(NamedTuple):
    """Noise that was added to display values, before black and white cut it off.

    Attributes
    ----------
    planes, channels : (3,) deviations of the opponent planes; of red, green and blue.
    sure : 0 to 1, how well the law is followed.
    """

    planes: np.ndarray
    channels: np.ndarray
    sure: float

    def uncut(self, model: NoiseModel) -> NoiseModel:
        """Return a model with the deviations that the noise would have if none of it were cut off."""
        cut = np.maximum(self.planes[:, None] / np.maximum(model.sigma[0], 1e-9), 1.0)
        return replace(model, sigma=(model.sigma * (1 + self.sure * (cut - 1))).astype(np.float32))


def added_noise(model: NoiseModel) -> AddedNoise:
    """Return what a model tells of noise that was added to display values.

    Such noise has one deviation at all tones, but for what is cut off, and a flat spectrum. Of other noise, as that of
    cameras, this says nothing: the sureness is 0 then.
    """
    fits = [_fit(model.sigma[0, plane], model.presence) for plane in range(3)]
    deviations = np.array([deviation for deviation, _ in fits])
    misfit = fits[0][1]
    sure = float(np.clip((_DOUBTFUL - misfit) / (_DOUBTFUL - _SURE), 0, 1))
    power = model.spectrum[0] ** 2
    flatness = power[:, 5:, 5:].mean(axis=(1, 2)) / power[:, 1:3, 1:3].mean(axis=(1, 2))
    if not ((flatness > _FLAT[0]) & (flatness < _FLAT[1])).all():
        sure = 0.0
    channels = channel_deviations(deviations, model.correlation[0])
    return AddedNoise(deviations.astype(np.float32), channels.astype(np.float32), sure)


def _fit(sigma: np.ndarray, presence: np.ndarray) -> tuple[float, float]:
    """Return the one deviation that a curve over tone follows best, and the relative misfit.

    Where all blocks of a picture are cut off the curve falls towards its ends, else it is level. Tones of which hardly
    anything is cut off tell more than the deviation of the others.
    """
    weight = presence / (presence + _RARE) * np.sqrt(presence)
    if not sigma.any() or not weight.any():
        return 0.0, np.inf
    logs, weight = np.log(np.maximum(sigma, 1e-6)), weight / weight.sum()
    level = float(logs @ weight)
    misfit = float(np.abs(logs - level) @ weight)
    gaps = np.abs(logs - _curves()) @ weight
    best = int(gaps.argmin())
    if gaps[best] >= misfit:
        return float(np.exp(level)), misfit
    clear = weight * (_curves()[best] > np.log(_CANDIDATES[best]) - _HARDLY_CUT)
    told = float(np.exp(logs @ clear / clear.sum())) if clear.sum() > _ENOUGH else 0.0
    return max(float(_CANDIDATES[best]), told), float(gaps[best])


@cache
def _curves() -> np.ndarray:
    """Return (candidates, 17) logarithms of the deviation that is left at each tone."""
    return np.log(np.stack([cut_off_deviation(TONES.astype(float), deviation) for deviation in _CANDIDATES]))
