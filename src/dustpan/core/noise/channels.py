"""The noise of red, green and blue themselves, where a model of brightness and colour planes says too little.

A model holds the noise of three opponent planes, as if it were independent in each. Behind a white balance and a
camera's matrix it is not: under warm light blue holds several times the noise of green.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dustpan.core.noise.cells import cut_cells, flat_variance, variance_in_cells
from dustpan.core.picture.curve import is_clipped

_LAG = 3  # px between the values compared: past the reach of an interpolated mosaic
_CLIPPED = 0.02  # share of a cell's values at black or white from which it tells nothing
_LEAST_CELLS = 12
_RANGE = (0.4, 2.5)  # of the factors


def channel_factors(crops: Sequence[np.ndarray], sigmas: Sequence[np.ndarray]) -> np.ndarray:
    """Return (3,) float32: by what the deviations that a model gives for red, green and blue are to be multiplied.

    Parameters
    ----------
    crops : h x w x 3 float32 working pixels, from all over a picture.
    sigmas : of each crop, h x w x 3: the deviation of each channel's noise as the model has it.

    Notes
    -----
    Medians over small cells of squared differences at some distance; a low quantile over cells, as texture only adds.
    A channel that is cut off nearly everywhere keeps what the model says.
    """
    shares = np.concatenate([_shares(crop, sigma) for crop, sigma in zip(crops, sigmas, strict=True)])
    factors = np.ones(3, np.float32)
    for channel in range(3):
        found = shares[np.isfinite(shares[:, channel]), channel]
        if len(found) >= _LEAST_CELLS:
            factors[channel] = np.clip(np.sqrt(flat_variance(found)), *_RANGE)
    return factors


def _shares(crop: np.ndarray, sigma: np.ndarray) -> np.ndarray:
    """Return (cells, 3): measured over predicted variance; NaN where a channel is cut off."""
    measured = variance_in_cells((crop[:, _LAG:] - crop[:, :-_LAG]) ** 2 / 2)
    predicted = cut_cells(sigma[:, _LAG:] ** 2).mean(axis=1)
    values = cut_cells(crop[:, _LAG:])
    sound = is_clipped(values).mean(axis=1) < _CLIPPED
    return np.where(sound, measured / np.maximum(predicted, 1e-9), np.nan)
