"""Which law noise follows: added to display values, as scans and many renderings have it, or not."""

from __future__ import annotations

from functools import cache

import numpy as np

from dustpan.core.filters.colour import OPPONENT
from dustpan.core.filters.cut_off import cut_off_deviation
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel

_CANDIDATES = np.geomspace(1.0, 80.0, 89) / DISPLAY  # deviations tried
_SURE, _DOUBTFUL = 0.12, 0.22  # relative misfit over tone up to which the law holds, and from which it does not
_RARE = 0.01  # share of the picture under which a tone hardly counts
_FLAT = (0.75, 1.33)  # of the power of fine coefficients beside that of coarse ones: neither blurred nor sharpened


def added_noise(model: NoiseModel) -> tuple[np.ndarray, float]:
    """Return (3,) deviations of red, green and blue noise before black and white cut it off, and how sure that is.

    Noise that was added to display values has one deviation at all tones, but for what is cut off, and a flat
    spectrum. Of other noise, as that of cameras, this says nothing: the sureness is 0 then, 1 at most.
    """
    fits = [_fit(model.sigma[0, plane], model.presence) for plane in range(3)]
    deviations = np.array([deviation for deviation, _ in fits])
    misfit = fits[0][1]
    sure = float(np.clip((_DOUBTFUL - misfit) / (_DOUBTFUL - _SURE), 0, 1))
    power = model.spectrum[0] ** 2
    flatness = power[:, 5:, 5:].mean(axis=(1, 2)) / power[:, 1:3, 1:3].mean(axis=(1, 2))
    if not ((flatness > _FLAT[0]) & (flatness < _FLAT[1])).all():
        sure = 0.0
    return np.sqrt(OPPONENT.T**2 @ deviations**2).astype(np.float32), sure


def _fit(sigma: np.ndarray, presence: np.ndarray) -> tuple[float, float]:
    """Return the one deviation that a curve over tone follows best, and the relative misfit.

    Where all blocks of a picture are cut off the curve falls towards its ends, else it is level.
    """
    weight = presence / (presence + _RARE) * np.sqrt(presence)
    if not sigma.any() or not weight.any():
        return 0.0, np.inf
    logs, weight = np.log(np.maximum(sigma, 1e-6)), weight / weight.sum()
    level = float(logs @ weight)
    misfit = float(np.abs(logs - level) @ weight)
    gaps = np.abs(logs - _curves()) @ weight
    best = int(gaps.argmin())
    return (float(_CANDIDATES[best]), float(gaps[best])) if gaps[best] < misfit else (float(np.exp(level)), misfit)


@cache
def _curves() -> np.ndarray:
    """Return (candidates, 17) logarithms of the deviation that is left at each tone."""
    return np.log(np.stack([cut_off_deviation(TONES.astype(float), deviation) for deviation in _CANDIDATES]))
