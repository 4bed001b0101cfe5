"""Colours under full transparency: nobody sees them, so they must not come into what is seen beside them."""

from __future__ import annotations

import cv2
import numpy as np


def fill_hidden(pixels: np.ndarray, hidden: np.ndarray) -> np.ndarray:
    """Return pixels whose hidden ones have the colour of the nearest that is seen.

    Parameters
    ----------
    pixels : H x W x 1 or 3, native.
    hidden : (H, W) bool. Where all or none are hidden the pixels themselves are returned.
    """
    if not hidden.any() or hidden.all():
        return pixels
    marks = hidden.astype(np.uint8)
    _, labels = cv2.distanceTransformWithLabels(marks, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    seen = np.flatnonzero(~hidden)
    nearest = np.empty(int(labels.max()) + 1, np.int64)
    nearest[labels.ravel()[seen]] = seen
    filled = pixels.copy()
    filled[hidden] = pixels.reshape(-1, pixels.shape[2])[nearest[labels[hidden]]]
    return filled
