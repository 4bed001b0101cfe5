"""Cleaning by a sliding block transform: the quick engine's arithmetic.

Windows of 8 x 8 stand at every second pixel, counted from the picture's corner. Two passes: a hard threshold
makes a pilot, then each coefficient is scaled by the pilot's share of signal. Overlapping results are averaged
with the inverse of the noise each still holds. Several scales share the work: what is coarser than a window is
cleaned on reduced pictures and laid under.

References
----------
Yu, G. and Sapiro, G. (2011), DCT image denoising: a simple and effective image denoising algorithm,
    doi 10.5201/ipol.2011.ys-dct.
Pierazzo, N. and Facciolo, G. (2017), Multi-scale DCT denoising, doi 10.5201/ipol.2017.201.
"""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.kernels.dct import SEGMENT, STRIDE, clean_rows, measure_rows
from dustpan.core.work.cancel import Check, no_check

WINDOW = 8  # px, side of a window
STEP = 2  # px between windows
HARD_THRESHOLD = 2.7  # of the noise's deviation in each coefficient
ROWS_PER_CALL = 16  # rows of windows between two checks whether the work was cancelled: 32 rows of pixels
_WIDEST = 2 * STRIDE  # px, widest plane that the kernels take
_COLUMN = 1024  # px, width of the columns that wider planes are cut into
_REACH = 16  # px around a pixel that two passes look at


def clean_plane(
    plane: np.ndarray,
    *,
    sigma: np.ndarray,
    spectrum: np.ndarray,
    strength: float = 1.0,
    passes: int = 2,
    left: int = 0,
    check: Check = no_check,
) -> np.ndarray:
    """Take noise out of one plane at one scale.

    Parameters
    ----------
    plane : (H, W) float32, both sides even and at least 8.
    sigma : (H / 2, W / 2) float32, deviation of the noise in the window whose corner is that even pixel.
    spectrum : (8, 8) float32, the noise's deviation in each coefficient relative to `sigma`.
    strength : 0 to 1, the part of the noise to take away; larger is smoother. Less leaves the rest of the noise as it
        was, only weaker, and lowers what counts as noise beside detail, so that texture comes through sooner.
    passes : 2, or 1 for the hard threshold alone (half the reach and cost; for coarse scales).
    left : even column of the picture that the plane begins at, so that every tile adds in the same order.
    check : called between bands of rows; raises to cancel.

    Returns
    -------
    (H, W) float32; each pixel looks 7 px around in each pass. Pad before: the rim has fewer windows.
    """
    if plane.shape[1] > _WIDEST:
        options = {"spectrum": spectrum, "strength": strength, "passes": passes, "check": check}
        return _clean_columns(plane, sigma, left, options)
    part = np.float32(min(max(strength, 0.0), 1.0))
    sigma = np.require(sigma, np.float32, ("C", "W"))
    shape = np.require(spectrum, np.float32, ("C", "W")).reshape(64)
    noisy = _split(plane)
    hard = np.float32(HARD_THRESHOLD)
    phase = left // STEP % SEGMENT
    pilot = _one_pass(noisy, noisy, sigma, shape, hard, np.float32(0), phase, check)
    if passes == 1:
        return plane + part * (_join(pilot) - plane)
    least = np.float32(1) - part
    return _join(_one_pass(noisy, pilot, sigma * part, shape, np.float32(0), least, phase, check))


def _clean_columns(plane: np.ndarray, sigma: np.ndarray, left: int, options: dict) -> np.ndarray:
    """Clean a plane that is wider than the kernels take, in columns; the same to the last bit as in one piece."""
    width = plane.shape[1]
    cleaned = np.empty_like(plane)
    for start in range(0, width, _COLUMN):
        end = min(start + _COLUMN, width)
        first, last = max(start - _REACH, 0), min(end + _REACH, width)
        part = clean_plane(
            plane[:, first:last], sigma=sigma[:, first // STEP : last // STEP], left=left + first, **options
        )
        cleaned[:, start:end] = part[:, start - first : end - first]
    return cleaned


def window_excess(plane: np.ndarray, *, sigma: np.ndarray, spectrum: np.ndarray, left: int = 0) -> np.ndarray:
    """Return (H / 2, W / 2): energy of each window in that of its noise, about 0.9 for noise alone and up to 4.

    Parameters
    ----------
    plane, sigma, spectrum, left : as `clean_plane` takes them.

    Notes
    -----
    A coefficient counts 4 at most, so that one edge does not pass for texture.
    """
    excess = np.ones((plane.shape[0] // STEP, plane.shape[1] // STEP), np.float32)
    sigma = np.require(sigma, np.float32, ("C", "W"))
    shape = np.require(spectrum, np.float32, ("C", "W")).reshape(64)
    strips = plane.shape[0] // STEP - 3
    for start in range(0, plane.shape[1], _COLUMN):
        end = min(start + _COLUMN + WINDOW, plane.shape[1])
        columns = slice(start // STEP, end // STEP)
        found = np.ones((excess.shape[0], (end - start) // STEP), np.float32)
        part = np.ascontiguousarray(sigma[:, columns])
        measure_rows(_split(plane[:, start:end]), part, shape, (left + start) // STEP % SEGMENT, 0, strips, found)
        excess[:, columns] = found
    return excess


def _split(plane: np.ndarray) -> np.ndarray:
    """Return even and odd columns apart, (2, H, W / 2)."""
    halves = np.empty((2, plane.shape[0], plane.shape[1] // 2), np.float32)
    halves[0], halves[1] = plane[:, 0::2], plane[:, 1::2]
    return halves


def _join(halves: np.ndarray) -> np.ndarray:
    """Return the plane that `_split` took apart."""
    plane = np.empty((halves.shape[1], 2 * halves.shape[2]), np.float32)
    plane[:, 0::2], plane[:, 1::2] = halves
    return plane


def _one_pass(noisy, pilot, sigma, spectrum, threshold, least, phase, check) -> np.ndarray:
    """Return the weighted mean of all windows' results, split like `noisy`; see `clean_rows`."""
    strips = noisy.shape[1] // STEP - 3
    sums = np.zeros_like(noisy)
    weights = np.zeros((2, noisy.shape[1] // STEP, noisy.shape[2]), np.float32)
    for first in range(0, strips, ROWS_PER_CALL):
        check()
        last = min(first + ROWS_PER_CALL, strips)
        clean_rows(noisy, pilot, sigma, spectrum, threshold, least, phase, first, last, sums, weights)
    total = weights.copy()
    for shift in range(1, WINDOW // STEP):
        total[:, shift:] += weights[:, :-shift]
    np.divide(sums[:, 0::2], total, out=sums[:, 0::2])
    np.divide(sums[:, 1::2], total, out=sums[:, 1::2])
    return sums


def block_transform(blocks: np.ndarray) -> np.ndarray:
    """Return the orthonormal block transform of (..., 8, 8) blocks, in their type.

    One product of matrices for all blocks: much quicker than two small ones for each.
    """
    flat = blocks.reshape(*blocks.shape[:-2], WINDOW * WINDOW)
    return (flat @ np.kron(_MATRIX, _MATRIX).T.astype(blocks.dtype)).reshape(blocks.shape)


_MATRIX = np.cos(np.pi / WINDOW * np.outer(np.arange(WINDOW), np.arange(WINDOW) + 0.5)) * (2 / WINDOW) ** 0.5
_MATRIX[0] *= 0.5**0.5


def window_mean(plane: np.ndarray) -> np.ndarray:
    """Return (H / 2, W / 2): the mean of the 8 x 8 window whose corner is each even pixel."""
    mean = cv2.boxFilter(plane, -1, (WINDOW, WINDOW), anchor=(0, 0), borderType=cv2.BORDER_REFLECT)
    return np.ascontiguousarray(mean[::STEP, ::STEP])


def halve(plane: np.ndarray) -> np.ndarray:
    """Return the area mean of 2 x 2 pixels (both sides even)."""
    return cv2.resize(plane, (plane.shape[1] // 2, plane.shape[0] // 2), interpolation=cv2.INTER_AREA)


def lay_under(fine: np.ndarray, coarse: np.ndarray) -> np.ndarray:
    """Replace the low frequencies of `fine` by those of `coarse` (half its size)."""
    difference = cv2.GaussianBlur(coarse - halve(fine), (3, 3), 0.8, borderType=cv2.BORDER_REFLECT)
    return fine + double(difference)


def double(plane: np.ndarray) -> np.ndarray:
    """Return twice the size by linear interpolation between cell centres."""
    return cv2.resize(plane, (2 * plane.shape[1], 2 * plane.shape[0]), interpolation=cv2.INTER_LINEAR)


def frequency_weights(span: int) -> np.ndarray:
    """Return (span, 8), by what each coefficient counts at each frequency of a Fourier transform of `span` px."""
    half_cycles = np.minimum(np.abs(np.fft.fftfreq(span)) * 16, 7)  # in 8 px, as the coefficients have them
    low = np.minimum(half_cycles.astype(int), 6)
    weights = np.zeros((span, 8))
    weights[np.arange(span), low] = 1 - (half_cycles - low)
    weights[np.arange(span), low + 1] += half_cycles - low
    return weights
