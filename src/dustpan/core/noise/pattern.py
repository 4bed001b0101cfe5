"""A pattern of noise with a given spectrum, to be looked at."""

from __future__ import annotations

from functools import cache, lru_cache

import numpy as np

from dustpan.core.filters.dct import frequency_weights
from dustpan.core.picture.region import Region

_SIDE = 256  # px after which the pattern repeats


def pattern(spectrum: np.ndarray, region: Region) -> np.ndarray:
    """Return (3, h, w) planes of noise of deviation 1 for a region of the picture.

    Parameters
    ----------
    spectrum : (3, 8, 8) relative deviations of the block coefficients.
    """
    whole = _whole(np.require(spectrum, np.float32, ("C",)).tobytes())
    rows, columns = (np.arange(low, high) % _SIDE for low, high in ((region[1], region[3]), (region[0], region[2])))
    return whole[:, rows[:, None], columns[None]]


@lru_cache(maxsize=8)
def _whole(spectrum: bytes) -> np.ndarray:
    """Return one period of the pattern: white noise, filtered."""
    weight = frequency_weights(_SIDE)
    planes = []
    for gains, white in zip(np.frombuffer(spectrum, np.float32).reshape(3, 8, 8), _white(), strict=True):
        filtered = np.real(np.fft.ifft2(np.fft.fft2(white) * (weight @ gains @ weight.T)))
        planes.append(filtered / max(filtered.std(), 1e-9))
    return np.stack(planes).astype(np.float32)


@cache
def _white() -> np.ndarray:
    return np.random.default_rng(20261).standard_normal((3, _SIDE, _SIDE))
