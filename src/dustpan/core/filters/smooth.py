"""Plain smoothing in time that does not grow with the radius: median, Gaussian, and within edges."""

from __future__ import annotations

import cv2
import numpy as np

_BINS = 220  # of 256, between black and white
_BELOW, _DARKEST = 4, -0.5  # bins below black, and how far they go
_BRIGHTEST = 64.0  # display tone up to which the bins above white go, by even factors
_DIRECT = 2  # px, radius up to which the median is taken of the numbers themselves
_BOXES = 3  # that stand for a Gaussian
_NARROW = 4.0  # px, deviation under which a Gaussian is made as such
_TEXTURE = 0.04  # step of tone that is still taken for texture


def median(tile: np.ndarray, radius: float) -> np.ndarray:
    """Return the median over squares of 2 * radius + 1 px, of each channel.

    Beyond 2 px tones are counted in 256 bins, 220 of them between black and white; within its bin each follows its
    neighbours. Fractions of a radius mix the two whole ones beside it.

    Parameters
    ----------
    tile : h x w x channels float32 working pixels.
    radius : px, at least 0.

    References
    ----------
    Perreault, S. and Hebert, P. (2007), Median filtering in constant time, doi 10.1109/TIP.2007.902329.
    """
    low, part = int(radius), np.float32(radius % 1)
    lower = _median(tile, low)
    return lower + part * (_median(tile, low + 1) - lower) if part else lower


def _median(tile: np.ndarray, radius: int) -> np.ndarray:
    if radius == 0:
        return tile
    if radius <= _DIRECT:
        return _by_channel(lambda plane: cv2.medianBlur(_reflected(plane, radius), 2 * radius + 1), tile, radius)
    return _by_channel(lambda plane: _median_of_bins(plane, radius), tile, 0)


def _median_of_bins(plane: np.ndarray, radius: int) -> np.ndarray:
    reach = deband_reach(radius)
    margin = radius + reach
    wide = cv2.copyMakeBorder(_binned(plane), margin, margin, margin, margin, cv2.BORDER_REFLECT)
    found = cv2.medianBlur(wide, 2 * radius + 1)[radius:-radius, radius:-radius]
    side = 2 * reach + 1
    calm = cv2.boxFilter(cv2.LUT(found, _MIDDLES), -1, (side, side))[reach:-reach, reach:-reach]
    found = np.ascontiguousarray(found[reach:-reach, reach:-reach])
    return np.minimum(np.maximum(calm, cv2.LUT(found, _LOWER)), cv2.LUT(found, _UPPER))


def _binned(plane: np.ndarray) -> np.ndarray:
    """Return the bin of each tone, uint8; only what is beyond black or white is looked up among all edges."""
    beyond = (plane < 0) | (plane >= 1)
    bins = np.clip(plane * np.float32(_BINS) + np.float32(_BELOW), _BELOW, _BELOW + _BINS - 1).astype(np.uint8)
    if beyond.any():
        bins[beyond] = np.searchsorted(_EDGES[1:-1], plane[beyond], side="right")
    return bins


def deband_reach(radius: int) -> int:
    """Return over how many pixels around it the median of a bin follows its neighbours."""
    return max(radius // 4, 1)


def _edges() -> np.ndarray:
    """Return the (257,) edges of the bins, ascending."""
    below = np.linspace(_DARKEST, 0, _BELOW, endpoint=False)
    within = np.linspace(0, 1, _BINS, endpoint=False)
    above = np.geomspace(1, _BRIGHTEST, 257 - _BELOW - _BINS)
    return np.concatenate([below, within, above]).astype(np.float32)


_EDGES = _edges()
_LOWER, _UPPER = _EDGES[:-1].copy(), _EDGES[1:].copy()
_MIDDLES = (_EDGES[1:] + _EDGES[:-1]) / 2


def gaussian(tile: np.ndarray, deviation: float) -> np.ndarray:
    """Return a Gaussian blur of some deviation in px; a wide one is made of three boxes.

    References
    ----------
    Wells, W. M. (1986), Efficient synthesis of Gaussian filters by cascaded uniform filters,
    doi 10.1109/TPAMI.1986.4767776.
    """
    if deviation <= 0:
        return tile
    if deviation < _NARROW:
        side = 2 * gaussian_reach(deviation) + 1
        return cv2.GaussianBlur(tile, (side, side), deviation, borderType=cv2.BORDER_REFLECT)
    low, high, part = _boxes(deviation)
    lower = _three_boxes(tile, low)
    return lower + np.float32(part) * (_three_boxes(tile, high) - lower) if part else lower


def gaussian_reach(deviation: float) -> int:
    """Return how many pixels around it `gaussian` looks at."""
    if deviation < _NARROW:
        return int(np.ceil(3.5 * deviation))
    low, high, part = _boxes(deviation)
    return _BOXES * ((high if part else low) // 2)


def _boxes(deviation: float) -> tuple[int, int, float]:
    """Return the odd widths of the boxes beside a deviation, and the part of the wider ones that gives its variance."""
    ideal = np.sqrt(12 * deviation**2 / _BOXES + 1)
    low = int(2 * ((ideal - 1) // 2) + 1)
    variances = [_BOXES * (width**2 - 1) / 12 for width in (low, low + 2)]
    return low, low + 2, float((deviation**2 - variances[0]) / (variances[1] - variances[0]))


def _three_boxes(tile: np.ndarray, width: int) -> np.ndarray:
    for _ in range(_BOXES):
        tile = cv2.boxFilter(tile, -1, (width, width), borderType=cv2.BORDER_REFLECT)
    return tile


def within_edges(tile: np.ndarray, radius: int) -> np.ndarray:
    """Return each channel smoothed where it is nearly even over windows of `radius` px, and kept at its edges.

    Looks twice `radius` px around.

    References
    ----------
    He, K., Sun, J. and Tang, X. (2013), Guided image filtering, doi 10.1109/TPAMI.2012.213.
    """
    if radius < 1:
        return tile
    window = (2 * radius + 1, 2 * radius + 1)

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.boxFilter(plane, -1, window, borderType=cv2.BORDER_REFLECT)

    centre = mean(tile)
    variance = np.maximum(mean(tile * tile) - centre * centre, 0)
    slope = variance / (variance + np.float32(_TEXTURE**2))
    return mean(slope) * tile + mean(centre * (1 - slope))


def _by_channel(work, tile: np.ndarray, margin: int) -> np.ndarray:
    """Return what `work` makes of each channel, without the margin it has put around it."""
    inner = slice(margin, -margin or None)
    planes = [work(np.ascontiguousarray(tile[..., n]))[inner, inner] for n in range(tile.shape[2])]
    return np.stack(planes, axis=-1)


def _reflected(plane: np.ndarray, margin: int) -> np.ndarray:
    return cv2.copyMakeBorder(plane, margin, margin, margin, margin, cv2.BORDER_REFLECT)
