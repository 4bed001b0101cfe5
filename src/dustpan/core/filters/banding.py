"""Tell bands apart from the picture: offsets that whole rows share, whatever lies in them.

Everything here speaks of rows; for columns the picture is turned first.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
import scipy

from dustpan.core.filters.colour import highest_channel
from dustpan.core.picture.curve import decode_curve, encode_curve, encode_slope

CELL = 12  # px along a row that are averaged first: whole periods of every pattern of a sensor
SEGMENT = 9  # cells; segments are compared with one another
#: Rows on both sides that a row is compared with to find bands: of one row, of some rows, of many.
NEAR, WIDER, WIDEST = 8, 16, 24
_WINDOWS = {NEAR: 64, WIDER: 64, WIDEST: 128}  # rows in which a segment's variance is taken
_FLATTEST = 0.1  # share of the windows that must show the bands
_SCALES = (0, 1, 2, 4, 8, 16)  # rows, deviations of the blurs between which bands are measured
_WRITTEN = 0.5  # correlation of the rows' offsets with what varies along them, from which they are lines of letters
_STRONG, _EVERYWHERE = 4 / 255, 0.3  # offsets from which both the lightest and the darkest of a row must share them
_LIGHTEST = 0.85  # quantile of a row's cells; the darkest alike
_BUDGET = 2.2  # times the bands' variance, that all scales have together; the strength tends to be measured too low
_WIDE = 8  # rows, scale from which bands have no more power than at the scale before: the rest is the picture's own
_USUAL = 2.5  # times their power, that bands have near a row; the rest is the picture's own
_PARTS = 8  # of the width; how far they disagree gives the error
DISPLAYED, OF_SENSOR = (0.5 / 255, 254.5 / 255), (-1.0, 0.98)  # values between which nothing is clipped
_REFERENCE_SLOPE = encode_slope(np.array(0.3, np.float32))  # at the tone at which bands of light are given


@dataclass(frozen=True, eq=False)
class Bands:
    """Offsets of rows.

    Attributes
    ----------
    offsets : (rows, channels) float32; of bands of light as they show at a tone of 0.3.
    of_light : whether they were added to light, so that they show more in the darks.
    """

    offsets: np.ndarray
    of_light: bool

    @property
    def size(self) -> float:
        """Deviation of the offsets."""
        return float(np.sqrt((self.offsets**2).mean()))

    def within(self, most: float) -> Bands:
        """Return them with no offset larger than `most`: what is, is a line of the picture."""
        return Bands(np.clip(self.offsets, -most, most), self.of_light)


def average_cells(tile: np.ndarray) -> np.ndarray:
    """Return (h, w / 12, c) means along the rows of (h, w, c); the last cell takes what is left over."""
    height, width, channels = tile.shape
    count = max(width // CELL, 1)
    whole = min(count * CELL, width)
    cells = cv2.resize(tile[:, :whole], (count, height), interpolation=cv2.INTER_AREA)  # whole cells: their means
    cells = cells.reshape(height, count, channels)
    if whole < width:
        rest = width - whole
        cells[:, -1] += (tile[:, whole:].mean(axis=1) - cells[:, -1]) * (rest / (rest + CELL))
    return cells


def band_strength(
    cells: np.ndarray, *, near: int = NEAR, of_light: bool = False, unclipped: tuple[float, float] = DISPLAYED
) -> tuple[float, float]:
    """Return the deviation of what all segments of the rows have in common, 0 where that is the picture itself.

    Parameters
    ----------
    cells : (h, n, c) means along the rows.
    near : one of `NEAR`, `WIDER`, `WIDEST`. Bands that are half as wide are measured too weak, and much wider ones
        not at all.

    Returns
    -------
    The deviation, and how even it is over the picture: the least over the middle one of the windows, 0 to 1.

    Notes
    -----
    Bands go through the whole picture. So the variance that rows share is bounded by the one found in the calmest
    windows: boards, waves and horizons leave a sky, bands do not. They shift a row without a change of what varies
    along it, the lightest places of the row like the darkest: lines of letters darken what is not paper.
    """
    count = cells.shape[1] // SEGMENT
    window = _WINDOWS[near]
    height = cells.shape[0] // window * window
    if count < 2 or not height:
        return 0.0, 0.0
    tone = _channel_mean(_as_light(cells) if of_light else cells)
    rest = tone - _row_median(tone, near)
    clipped = _clipped(cells, unclipped)
    parts = rest[:, : count * SEGMENT].reshape(-1, count, SEGMENT)
    means = parts.mean(axis=2)
    along = parts.var(axis=2, ddof=1)
    if _goes_with(means, along) > _WRITTEN:
        return 0.0, 0.0
    noise = along / SEGMENT
    windows = means[:height].reshape(-1, window, count)
    spread = _robust_variance(windows, 1) - np.median(noise[:height].reshape(windows.shape), axis=1)
    sound = clipped[:height, : count * SEGMENT].reshape(len(windows), window, count, SEGMENT).mean(axis=(1, 3)) < 0.05
    if sound.sum() < 3:
        return 0.0, 0.0
    least, middle = (max(float(v), 0.0) for v in np.quantile(spread[sound], [_FLATTEST, 0.5]))
    shared = max(_shared_variance(means), 0.0)
    if shared > _STRONG**2 and _in_light_and_dark(rest) < _EVERYWHERE * shared:
        return 0.0, 0.0
    return float(np.sqrt(min(least, shared))), float(np.sqrt(least / max(middle, 1e-12)))


def find_bands(
    cells: np.ndarray,
    *,
    size: float,
    protect: float,
    of_light: bool = False,
    unclipped: tuple[float, float] = DISPLAYED,
    coarsest: float = np.inf,
) -> Bands:
    """Return the offset of each row.

    Parameters
    ----------
    cells : (h, n, c) means along the rows.
    size : their deviation, as `band_strength` gives it.
    protect : 0 to 1; more keeps structure of the picture out of the offsets.
    coarsest : rows, deviation of the blur past which bands are taken for the picture's own.

    Notes
    -----
    Each octave of the variation down the picture is averaged along the rows with weights that fall with what varies
    there beside the row's own mean, then multiplied by its share of signal, which the disagreement of eight parts of
    the width tells. Bands are alike all over the picture: power over theirs, at some rows or in all, is the picture's
    own.
    """
    clipped = _clipped(cells, unclipped)
    values = _as_light(cells) if of_light else cells
    scales = [scale for scale in _SCALES if scale <= coarsest]
    blurred = [_blur_down(values, scale) for scale in scales]
    offsets = np.zeros((cells.shape[0], cells.shape[2]), np.float32)
    power = left = np.full(cells.shape[2], _BUDGET * size**2, np.float32)
    for (fine, coarse), scale in zip(pairwise(blurred), scales[1:], strict=True):
        most = np.minimum(power, left) if scale >= _WIDE else left
        own, power = _octave(fine - coarse, ~clipped, 6 * scale + 5, protect, most)
        offsets, left = offsets + own, np.maximum(left - power, 0)
    return Bands(offsets, of_light)


def _octave(
    rest: np.ndarray, sound: np.ndarray, window: int, protect: float, most_power: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Return (h, c) offsets of one octave, clipped and shrunk to what is certain, and their power, (c,)."""
    mean, error = _row_means(rest, sound, window, protect)
    signal = np.clip(_robust_variance(mean, 0) - np.median(error, axis=0), 0, most_power)
    near = cv2.blur(mean * mean, (1, window), borderType=cv2.BORDER_REFLECT).reshape(mean.shape)
    error = np.maximum(error, near - _USUAL * signal)
    most = 2.5 * np.sqrt(signal)
    return np.clip(mean, -most, most) * (signal / (signal + error + np.float32(1e-12))), signal


def _row_means(rest: np.ndarray, sound: np.ndarray, window: int, protect: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (h, c) weighed means of rows, and the variance of their error."""
    height, _, channels = rest.shape
    mean = np.median(rest, axis=1)
    for _ in range(2):
        own = rest - mean[:, None]
        energy = cv2.blur((own * own).sum(axis=2), (3, window), borderType=cv2.BORDER_REFLECT) + np.float32(1e-9)
        weights = (sound / energy ** np.float32(0.5 + protect) + np.float32(1e-6))[..., None]
        limit = 2 * np.sqrt(energy / channels)[..., None]
        mean = mean + (weights * np.clip(own, -limit, limit)).sum(axis=1) / weights.sum(axis=1)
    own = np.clip(rest - mean[:, None], -limit, limit)
    sums = np.stack([part.sum(axis=1) for part in np.array_split(weights * own, _PARTS, axis=1)])
    error = (sums**2).sum(axis=0) / weights.sum(axis=1) ** 2 * (_PARTS / (_PARTS - 1))
    return mean, cv2.blur(error, (1, window), borderType=cv2.BORDER_REFLECT).reshape(height, channels)


def _goes_with(means: np.ndarray, along: np.ndarray) -> float:
    """Return how far the rows' offsets correlate with what varies along them, 0 to 1, in the segment of least.

    means, along : (h, segments).
    """
    first, second = (values - values.mean(axis=0) for values in (means, along))
    both = np.sqrt((first**2).sum(axis=0) * (second**2).sum(axis=0))
    return float(np.min(np.abs((first * second).sum(axis=0)) / np.maximum(both, 1e-12)))


def _in_light_and_dark(rest: np.ndarray) -> float:
    """Return the covariance of the rows' lightest cells and the darkest of others; rest : (h, n) offsets of cells."""
    halves = rest[:, 0::2], rest[:, 1::2]
    covariances = []
    for first, second in (halves, halves[::-1]):
        light, dark = np.quantile(first, _LIGHTEST, axis=1), np.quantile(second, 1 - _LIGHTEST, axis=1)
        covariances.append((_held(light) * _held(dark)).mean())
    return float(np.mean(covariances))


def _held(values: np.ndarray) -> np.ndarray:
    """Return values around their median, outliers clipped, along the first axis."""
    most = 2.5 * np.sqrt(_robust_variance(values, 0))
    return np.clip(values - np.median(values, axis=0), -most, most)


def take_off(tile: np.ndarray, offsets: np.ndarray, *, of_light: bool) -> np.ndarray:
    """Return a tile (h x w x c) less offsets (h x 1 x c for rows, 1 x w x c for columns) of bands."""
    if not of_light:
        return tile - offsets
    return encode_curve(decode_curve(tile) - offsets / _REFERENCE_SLOPE)


def _as_light(cells: np.ndarray) -> np.ndarray:
    """Return light, scaled so that a little more of it is as much more as it shows at the reference tone."""
    return decode_curve(cells) * _REFERENCE_SLOPE


def _channel_mean(cells: np.ndarray) -> np.ndarray:
    """Return (h, n) means of the channels; adding planes is several times faster than a sum along so short an axis."""
    return sum(np.moveaxis(cells, 2, 0)) / np.float32(cells.shape[2])


def _clipped(cells: np.ndarray, unclipped: tuple[float, float]) -> np.ndarray:
    """Return (h, n) where some channel lies outside of the values between which nothing is clipped."""
    return (-highest_channel(-cells) <= unclipped[0]) | (highest_channel(cells) >= unclipped[1])


def _row_median(tone: np.ndarray, near: int) -> np.ndarray:
    """Return each value's median with those of the rows near it; one column at a time, for which SciPy is quick."""
    return np.stack([scipy.ndimage.median_filter(column, 2 * near + 1, mode="reflect") for column in tone.T], axis=1)


def _blur_down(cells: np.ndarray, scale: float) -> np.ndarray:
    return cells if scale == 0 else scipy.ndimage.gaussian_filter1d(cells, scale, axis=0, mode="reflect")


def _robust_variance(values: np.ndarray, axis: int) -> np.ndarray:
    around = np.abs(values - np.median(values, axis=axis, keepdims=True))
    return (1.4826 * np.median(around, axis=axis)) ** 2


def _shared_variance(means: np.ndarray) -> float:
    """Return the median covariance of segments that are no neighbours, outliers clipped; means : (h, segments)."""
    held = _held(means)
    shared = held.T @ held / len(held)
    apart = np.triu_indices(len(shared), 2 if len(shared) > 3 else 1)
    return float(np.median(shared[apart]))
