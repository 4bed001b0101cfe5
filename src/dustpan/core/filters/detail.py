"""Find structure in what a cleaning took away, so that detail can be given back without its noise."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.kernels.pixelwise import structure_share

SUPPORT = 12  # px: 6 of the wide blur, 1 of the slope, 2 of the narrow blur, rounded up


def structured_part(removed: np.ndarray, *, sigma: np.ndarray) -> np.ndarray:
    """Return the part of removed luminance that has a direction and more energy than the noise taken away.

    Parameters
    ----------
    removed : H x W float32, tone of the input less tone of the result.
    sigma : H x W, deviation of the luminance noise that was to be taken away.

    Returns
    -------
    H x W, to be added to each channel alike, zero where what was removed looks like noise.

    Notes
    -----
    Noise has no common direction over a neighbourhood: the structure tensor of the removed part separates lines
    and weaves from grain (Bigun and Granlund 1987). Energy above the noise's own is asked for as well, so that
    chance alignments in bare areas do not come back as worms.
    """
    soft = cv2.GaussianBlur(removed, (5, 5), 0.7)
    across = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3)
    down = cv2.Sobel(soft, cv2.CV_32F, 0, 1, ksize=3)
    slopes = cv2.merge([across * across, down * down, across * down, removed * removed])
    tensor = cv2.GaussianBlur(slopes, (13, 13), 2.2)
    structured = np.empty_like(soft)
    structure_share(tensor, np.require(sigma, np.float32, ("C", "W")), soft, structured)
    return structured
