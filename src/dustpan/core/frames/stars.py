"""Stars of a frame: where they stand to a small part of a pixel, how bright and how wide they are."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

_BLUR = 1.4  # px, of the filter that stars stand out of
_SIGMAS = 6.0  # over the noise of the filtered plane
_MOST = 240  # of the brightest
_HALF = 7  # px, half the side of the window around a star
_SINGLE = 0.22  # mean of a peak's four neighbours beside it, under which it is no star: a hot pixel, a cosmic ray
_TURNS = 12  # of the centroid
_WIDEST = 4.0  # px, deviation beyond which a hill of light is no star
_BACKGROUND = 32  # px, of the grid on which the background is measured
_LONGEST = 0.45  # difference of a star's extents by their sum, beyond which it is a part of a line
_UNLIKE = 1.7  # times the width of most stars, and its inverse, beyond which it is none
_FINE, _COARSE = 1.0, 2.0  # px, deviations of the blurs between which noise is measured
_WIDTH = 2.3548  # full width at half maximum of a Gaussian of deviation 1


@dataclass(frozen=True, eq=False)
class Stars:
    """Stars, the brightest first.

    Attributes
    ----------
    places : (n, 2) x and y, px; 0 is the middle of the first pixel.
    flux : (n,) light.
    width : (n,) full width at half maximum, px.
    background, noise : level of the sky and its deviation.
    """

    places: np.ndarray
    flux: np.ndarray
    width: np.ndarray
    background: float
    noise: float

    def __len__(self) -> int:
        return len(self.flux)


def find_stars(plane: np.ndarray) -> Stars:
    """Return the stars of a plane of linear light, (h, w) float32.

    What shines in a single pixel is no star, however bright: lenses and air draw them wider.
    """
    noise_there, risen = noise_of(plane), _background(plane)
    level = float(np.median(risen))
    np.subtract(plane, risen, out=risen)
    soft = cv2.GaussianBlur(risen, (0, 0), _BLUR, borderType=cv2.BORDER_REFLECT)
    noise = _deviation(soft)
    high = soft > _SIGMAS * max(noise, 1e-9)
    y, x = np.nonzero(high & (soft >= cv2.dilate(soft, np.ones((5, 5), np.uint8))))
    inside = (x >= _HALF) & (y >= _HALF) & (x < plane.shape[1] - _HALF) & (y < plane.shape[0] - _HALF)
    x, y = x[inside], y[inside]
    order = np.argsort(-soft[y, x], kind="stable")[: 3 * _MOST]
    found = [star for n in order if (star := _measured(risen, int(x[n]), int(y[n]))) is not None]
    table = np.array(found, np.float64).reshape(-1, 4)
    usual = float(np.median(table[:, 3])) if len(table) else 1.0
    table = table[np.abs(np.log(table[:, 3] / usual)) < np.log(_UNLIKE)][:_MOST]
    return Stars(table[:, :2], table[:, 2], table[:, 3], level, noise_there)


def noise_of(plane: np.ndarray) -> float:
    """Return the deviation of white noise that is as strong as a plane's own at about 2 px, whatever else it shows."""
    band, unit = (cv2.GaussianBlur(p, (0, 0), _FINE).astype(np.float32, copy=False) for p in (plane, _DOT))
    for fine, p in ((band, plane), (unit, _DOT)):
        fine -= cv2.GaussianBlur(p, (0, 0), _COARSE)
    return _deviation(band) / float(np.sqrt((unit**2).sum()))


def _background(plane: np.ndarray) -> np.ndarray:
    """Return the slowly changing background, from medians of the cells of a grid."""
    height, width = (max(side // _BACKGROUND, 1) for side in plane.shape)
    rows = np.array_split(np.arange(plane.shape[0]), height)
    columns = np.array_split(np.arange(plane.shape[1]), width)
    cells = [[np.median(plane[np.ix_(r, c)]) for c in columns] for r in rows]
    return cv2.resize(np.array(cells, np.float32), plane.shape[::-1], interpolation=cv2.INTER_CUBIC)


def _deviation(plane: np.ndarray) -> float:
    part = plane[::2, ::2]
    return float(1.4826 * np.median(np.abs(part - np.median(part))))


def _measured(risen: np.ndarray, x: int, y: int) -> tuple[float, float, float, float] | None:
    """Return x, y, light and width of a peak by a centroid under a Gaussian window, or None where it is no star.

    References
    ----------
    Bertin, E. and Arnouts, S. (1996), SExtractor: software for source extraction, doi 10.1051/aas:1996164.
    """
    window = risen[y - _HALF : y + _HALF + 1, x - _HALF : x + _HALF + 1]
    top = np.unravel_index(np.argmax(window[4:11, 4:11]), (7, 7))
    at_y, at_x = (int(v) + 4 for v in top)
    beside = window[at_y - 1, at_x] + window[at_y + 1, at_x] + window[at_y, at_x - 1] + window[at_y, at_x + 1]
    if beside / 4 < _SINGLE * window[at_y, at_x]:
        return None
    grid = np.arange(-_HALF, _HALF + 1, dtype=np.float64)
    width, centre = 1.5, np.array([at_x - _HALF, at_y - _HALF], float)
    for _ in range(_TURNS):
        across, down = grid - centre[0], grid - centre[1]
        weight = np.exp(-0.5 * (across[None] ** 2 + down[:, None] ** 2) / width**2) * window
        total = weight.sum()
        if total <= 0:
            return None
        move = np.array([(weight * across[None]).sum(), (weight * down[:, None]).sum()]) / total
        spread = (weight * (across[None] ** 2 + down[:, None] ** 2)).sum() / (2 * total)
        centre += 2 * move  # the window halves what it sees of an offset
        width = float(np.sqrt(max(2 * spread, 0.36)))
        if np.abs(centre).max() > 4 or width > _WIDEST:
            return None
    if _elongation(weight, across, down) > _LONGEST:
        return None
    return x + centre[0], y + centre[1], float(total * 2), _WIDTH * width


def _elongation(weight: np.ndarray, across: np.ndarray, down: np.ndarray) -> float:
    """Return the difference of the longest and the shortest extent by their sum: 0 of a disc, 1 of a line."""
    total = weight.sum()
    xx, yy = (weight * across[None] ** 2).sum() / total, (weight * down[:, None] ** 2).sum() / total
    xy = (weight * across[None] * down[:, None]).sum() / total
    return float(np.hypot(xx - yy, 2 * xy) / max(xx + yy, 1e-9))


_DOT = np.zeros((33, 33), np.float32)
_DOT[16, 16] = 1
