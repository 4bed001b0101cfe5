"""The thorough engine: alike windows of the picture are cleaned together, guided by the quick engine's result.

References
----------
Dabov, K. et al. (2007), Image denoising by sparse 3-D transform-domain collaborative filtering,
    doi 10.1109/TIP.2007.901238.
"""

from __future__ import annotations

import itertools
from dataclasses import replace
from functools import cache, lru_cache

import numpy as np
import scipy

from dustpan.core.filters import quick
from dustpan.core.filters.assumed import assume_noise
from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import frequency_weights, halve, lay_under, window_mean
from dustpan.core.filters.quick import Cleaning
from dustpan.core.kernels.groups import FAR, REACH, STEP, filter_groups
from dustpan.core.picture.region import Ends

_PADDING = 16  # px past the picture's end
_UNDER = 6  # px that laying under the coarser scales looks around
_INFLUENCE = REACH + 7  # px from a window to the farthest that its group reaches
_ALIKE = 64 * (20 / 255) ** 2  # squared distance of two windows of luminance up to which they are alike
_ROWS_PER_CALL = 8  # rows of windows between two looks whether the work was cancelled
_SPAN = 64  # px of the noise's own covariance: more than windows and distances together
_FADING = 2.0  # of the Kaiser window that weighs a window's pixels


def support(scales: int) -> int:
    """Return how far, in pixels, the result looks, for 1, 2 or 3 scales."""
    return quick.support(scales) + 2 * _INFLUENCE + _UNDER


def clean_thoroughly(
    tile: np.ndarray, cleaning: Cleaning, *, ends: Ends = (True, True, True, True), left: int = 0
) -> np.ndarray:
    """Take noise out of a tile; see `quick.clean_tile`, whose parameters these are.

    Windows of 8 x 8 px that are alike in the guide are transformed together, along the group too, and every coefficient
    is scaled by the guide's share of signal. Low frequencies are those of the quick result, which looks farther.
    """
    whole = replace(cleaning, strengths=tuple(1.0 if part > 0 else 0.0 for part in cleaning.strengths))
    guide = quick.clean_tile(tile, whole, ends=ends, left=left)
    plain = (
        guide
        if tuple(whole.strengths) == tuple(cleaning.strengths)
        else quick.clean_tile(tile, cleaning, ends=ends, left=left)
    )
    noisy, pilot, under = (to_opponent(_padded(pixels)) for pixels in (tile, guide, plain))
    skip = quick.support(cleaning.scales) + _INFLUENCE
    filtered = _filter(noisy, pilot, cleaning, tuple(0 if end else skip for end in ends))
    height, width = tile.shape[:2]
    for index, plane in enumerate(filtered):
        if cleaning.strengths[min(index, 1)] > 0:
            under[index] = lay_under(plane, halve(under[index]))
    return from_opponent(under[:, _PADDING : _PADDING + height, _PADDING : _PADDING + width])


def _padded(pixels: np.ndarray) -> np.ndarray:
    """Return pixels reflected past their ends, with even sides."""
    right, bottom = (_PADDING + side % 2 for side in (pixels.shape[1], pixels.shape[0]))
    return np.pad(pixels, ((_PADDING, bottom), (_PADDING, right), (0, 0)), mode="symmetric")


def _filter(noisy: np.ndarray, pilot: np.ndarray, cleaning: Cleaning, skipped: tuple[int, ...]) -> np.ndarray:
    """Return the weighted mean of all groups' results; within `skipped` px of a side there is only the pilot."""
    height, width = noisy.shape[1:]
    parts = [cleaning.strengths[0], cleaning.strengths[1], cleaning.strengths[1]]
    area = (-_PADDING, -_PADDING, width - _PADDING, height - _PADDING)
    sigma = cleaning.sigma(window_mean(pilot[0]) / np.float32(3**0.5), 0, area)
    sigma = assume_noise(noisy[0], sigma, cleaning.spectrum[0])
    sigma = np.require(sigma * np.array(parts, np.float32)[:, None, None], np.float32, ("C", "W"))
    spectrum = np.require(cleaning.spectrum[0], np.float32, ("C", "W")).reshape(3, 64)
    table = _shared_noise(spectrum.tobytes())
    least = np.array([1 - min(max(part, 0.0), 1.0) for part in parts], np.float32)
    sums, weights = np.zeros_like(noisy), np.zeros_like(noisy)
    left, top, right, bottom = (side // STEP * STEP for side in skipped)
    first, last = (left, width - 7 - right), (top, height - 7 - bottom)
    fading, limit = _fading(), np.float32(_ALIKE)
    for row in range(last[0], last[1], STEP * _ROWS_PER_CALL):
        cleaning.check()
        rows = (row, min(row + STEP * _ROWS_PER_CALL, last[1]))
        filter_groups(noisy, pilot, sigma, spectrum, table, least, limit, fading, *rows, *first, sums, weights)
    return np.where(weights > 0, sums / np.maximum(weights, 1e-20), pilot)


@lru_cache(maxsize=8)
def _shared_noise(spectrum: bytes) -> np.ndarray:
    """Return the correlation of each coefficient's noise in two windows, by how far these lie apart.

    Parameters
    ----------
    spectrum : (3, 8, 8) float32, relative deviations of the coefficients.

    Returns
    -------
    (3, FAR + 1, 2 FAR + 1, 64) float32: rows down, columns from FAR px to the left on.

    References
    ----------
    Mäkinen, Y., Azzari, L. and Foi, A. (2020), Collaborative filtering of correlated noise: exact transform-domain
        variance for improved shrinkage and patch matching, doi 10.1109/TIP.2020.3014721.
    """
    basis = _overlaps()
    down, across = basis[FAR:], basis
    powers = np.frombuffer(spectrum, np.float32).reshape(3, 8, 8).astype(float) ** 2
    table = [np.einsum("yue,ef,xvf->yxuv", down, _autocovariance(p), across, optimize=True) for p in powers]
    return np.stack([_relative(plane) for plane in table])


def _relative(covariance: np.ndarray) -> np.ndarray:
    """Return (down, across, 64) correlations from (down, across, 8, 8) covariances."""
    own = np.maximum(covariance[0, FAR], 1e-12)
    return np.clip(covariance / own, 0, 1).reshape(*covariance.shape[:2], 64).astype(np.float32)


def _autocovariance(power: np.ndarray) -> np.ndarray:
    """Return (_SPAN, _SPAN), the covariance of noise with itself at distances up to half of that.

    Parameters
    ----------
    power : (8, 8), of the coefficients, whose frequencies are half cycles in 8 px.
    """
    weight = frequency_weights(_SPAN)
    return np.real(np.fft.ifft2(weight @ power @ weight.T))


@cache
def _overlaps() -> np.ndarray:
    """Return (2 FAR + 1, 8, _SPAN), the product of each basis function with itself.

    By how far the second is moved, -FAR to FAR px, and by the distance at which the noise is compared.
    """
    found = np.zeros((2 * FAR + 1, 8, _SPAN))
    basis = scipy.fft.dct(np.eye(8), axis=0, norm="ortho")
    for moved in range(-FAR, FAR + 1):
        for first, second in itertools.product(range(8), range(8)):
            found[moved + FAR, :, (moved + second - first) % _SPAN] += basis[:, first] * basis[:, second]
    return found


@cache
def _fading() -> np.ndarray:
    """Return the weights of a window's pixels."""
    window = np.kaiser(8, _FADING)
    return np.outer(window, window).ravel().astype(np.float32)
