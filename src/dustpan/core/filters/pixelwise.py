"""Compiled loops over single pixels, where array arithmetic would pass over memory many times.

Serial and without the interpreter lock, like all kernels; arrays come in C-contiguous and float32.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.compiled import kernel

_A, _B, _C = np.float32(3**-0.5), np.float32(2**-0.5), np.float32(6**-0.5)


@kernel
def split_opponent(rgb, planes):
    """Fill 3 x H x W opponent planes from H x W x 3."""
    height, width = rgb.shape[:2]
    for y in range(height):
        for x in range(width):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            planes[0, y, x] = (r + g + b) * _A
            planes[1, y, x] = (r - b) * _B
            planes[2, y, x] = (r + b - g - g) * _C


@kernel
def join_opponent(planes, rgb):
    """Fill H x W x 3 from 3 x H x W opponent planes."""
    height, width = rgb.shape[:2]
    for y in range(height):
        for x in range(width):
            grey, first, half = planes[0, y, x] * _A, planes[1, y, x] * _B, planes[2, y, x] * _C
            rgb[y, x, 0] = grey + first + half
            rgb[y, x, 1] = grey - half - half
            rgb[y, x, 2] = grey - first + half


@kernel
def _smooth(value, low, high):
    part = min(max((value - low) / (high - low), np.float32(0)), np.float32(1))
    return part * part * (np.float32(3) - np.float32(2) * part)


@kernel
def structure_share(tensor, sigma, soft, out):
    """Scale `soft` by how directed (0.38 to 0.72) and how strong beside the noise (0.9 to 1.8) each place is.

    tensor : (H, W, 4), smoothed xx, yy, xy of the slopes and the energy; out : (H, W, 1).
    """
    height, width = soft.shape
    for y in range(height):
        for x in range(width):
            xx, yy, xy = tensor[y, x, 0], tensor[y, x, 1], tensor[y, x, 2]
            spread = np.sqrt((xx - yy) * (xx - yy) + np.float32(4) * xy * xy)
            coherence = spread / (xx + yy + np.float32(1e-12))
            expected = max(sigma[y, x] * sigma[y, x] / np.float32(3), np.float32(1e-12))
            strength = tensor[y, x, 3] / expected
            share = _smooth(coherence, np.float32(0.38), np.float32(0.72))
            out[y, x, 0] = soft[y, x] * share * _smooth(strength, np.float32(0.9), np.float32(1.8))
