"""Compiled loops over the 8 x 8 blocks of a compressed picture.

Written out rather than as products of matrices, whose rounding depends on how many blocks are worked at once.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel
from dustpan.core.kernels.eight import forward, inverse


@helper
def _transform(plane, top, left, block):
    """Transform one block of a plane into `block` (8, 8)."""
    for y in range(8):
        r = plane[top + y, left : left + 8]
        c0, c1, c2, c3, c4, c5, c6, c7 = forward(r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7])
        row = block[y]
        row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7] = c0, c1, c2, c3, c4, c5, c6, c7
    for x in range(8):
        b = block[:, x]
        c0, c1, c2, c3, c4, c5, c6, c7 = forward(b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7])
        b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7] = c0, c1, c2, c3, c4, c5, c6, c7


@helper
def _transform_back(block, plane, top, left):
    """Write the block of some coefficients into a plane."""
    for x in range(8):
        b = block[:, x]
        v0, v1, v2, v3, v4, v5, v6, v7 = inverse(b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7])
        b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7] = v0, v1, v2, v3, v4, v5, v6, v7
    for y in range(8):
        b, r = block[y], plane[top + y, left : left + 8]
        v0, v1, v2, v3, v4, v5, v6, v7 = inverse(b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7])
        r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7] = v0, v1, v2, v3, v4, v5, v6, v7


@kernel("f4[:,::1], f4[:,::1], f4[:,::1]")
def count_strong(plane, least, counts):
    """Count in each block the coefficients, but the mean, that are larger than `least`.

    Parameters
    ----------
    plane : (h, w) float32 of whole blocks.
    least : (8, 8) float32.
    counts : (h / 8, w / 8) float32, written.
    """
    block = np.empty((8, 8), np.float32)
    for row in range(counts.shape[0]):
        for column in range(counts.shape[1]):
            _transform(plane, 8 * row, 8 * column, block)
            strong = -np.float32(abs(block[0, 0]) > least[0, 0])
            for y in range(8):
                for x in range(8):
                    strong += np.float32(abs(block[y, x]) > least[y, x])
            counts[row, column] = strong


@kernel("f4[:,::1], f4[:,::1], f4[:,::1]")
def hold_blocks(plane, room, changed):
    """Bring each coefficient of the changed plane to within `room` of the plane's own.

    Parameters
    ----------
    plane, changed : (h, w) float32 of whole blocks; `changed` is written.
    room : (8, 8) float32.
    """
    own, other = np.empty((8, 8), np.float32), np.empty((8, 8), np.float32)
    for top in range(0, plane.shape[0], 8):
        for left in range(0, plane.shape[1], 8):
            _transform(plane, top, left, own)
            _transform(changed, top, left, other)
            for y in range(8):
                for x in range(8):
                    other[y, x] = min(max(other[y, x], own[y, x] - room[y, x]), own[y, x] + room[y, x])
            _transform_back(other, changed, top, left)
