"""Structural similarity of two pictures."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.region import Size
from dustpan.core.picture.working import from_working, to_working

_WINDOW = 7  # px, side of the window in which two pictures are compared
_SMALL = 0.01**2, 0.03**2  # keep means and variances near 0 from counting for much


def window_of(size: Size) -> int:
    """Return the side of the window, an odd number of px: less than 7 only in pictures that are smaller than that."""
    return min(_WINDOW, min(size) - 1 + min(size) % 2)


def similarity_map(picture: np.ndarray, truth: np.ndarray, *, side: int = _WINDOW) -> np.ndarray:
    """Return the structural similarity of the 8-bit tones of two pictures at each whole window.

    Parameters
    ----------
    picture, truth : h x w x 3 working pixels, 0 to 1.
    side : of the window, odd, at most h and w.

    Returns
    -------
    (h - side + 1, w - side + 1) float64, 1 where both are the same.

    References
    ----------
    Wang, Z., Bovik, A., Sheikh, H. and Simoncelli, E. (2004), Image quality assessment: from error visibility to
        structural similarity, doi 10.1109/TIP.2003.819861.
    """
    x, y = (tone_of(to_working(from_working(p, dtype=np.uint8))).astype(np.float64) for p in (picture, truth))
    inner = np.s_[side // 2 : x.shape[0] - side // 2, side // 2 : x.shape[1] - side // 2]

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.boxFilter(plane, -1, (side, side), borderType=cv2.BORDER_REFLECT)[inner]

    sample = side**2 / max(side**2 - 1, 1)
    mean_x, mean_y = mean(x), mean(y)
    variance_x, variance_y, both = (
        sample * (mean(product) - means)
        for product, means in ((x * x, mean_x**2), (y * y, mean_y**2), (x * y, mean_x * mean_y))
    )
    light = (2 * mean_x * mean_y + _SMALL[0]) / (mean_x**2 + mean_y**2 + _SMALL[0])
    return light * (2 * both + _SMALL[1]) / (variance_x + variance_y + _SMALL[1])


def similarity(picture: np.ndarray, truth: np.ndarray) -> float:
    """Return the mean structural similarity of two pictures of any size, h x w x 3 working pixels, 0 to 1."""
    height, width = picture.shape[:2]
    return float(similarity_map(picture, truth, side=window_of((width, height))).mean())
