"""Find structure in what a cleaning took away, so that detail can be given back without its noise."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.tone import smooth_step

SUPPORT = 16


def structured_part(removed: np.ndarray, *, sigma: np.ndarray) -> np.ndarray:
    """Return the part of `removed` that has a direction and more energy than the noise taken away.

    Parameters
    ----------
    removed : H x W x 3 float32, input less result.
    sigma : H x W, deviation of the luminance noise that was to be taken away.

    Returns
    -------
    H x W x 3, grey (luminance alone), zero where what was removed looks like noise.

    Notes
    -----
    Noise has no common direction over a neighbourhood: the structure tensor of the removed part tells lines
    and weaves from grain (Bigun and Granlund 1987). Energy above the noise's own is asked for as well, so that
    chance alignments in bare areas do not come back as worms.
    """
    grey = tone_of(removed)
    soft = cv2.GaussianBlur(grey, (5, 5), 0.7)
    across = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3)
    down = cv2.Sobel(soft, cv2.CV_32F, 0, 1, ksize=3)
    xx, yy, xy = (cv2.GaussianBlur(p, (0, 0), 2.2) for p in (across * across, down * down, across * down))
    coherence = np.sqrt((xx - yy) ** 2 + 4 * xy * xy) / (xx + yy + np.float32(1e-12))
    energy = cv2.GaussianBlur(grey * grey, (0, 0), 2.2)
    expected = np.maximum(sigma * sigma / 3, np.float32(1e-12))
    share = smooth_step(coherence, 0.38, 0.72) * smooth_step(energy / expected, 0.9, 1.8)
    return np.repeat((soft * share)[..., None], 3, axis=2).astype(np.float32)
