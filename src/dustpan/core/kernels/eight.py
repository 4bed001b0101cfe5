"""The transform of eight values, which several kernels share.

The compiled code of every kernel is kept under a name that this source takes part in.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper

_C = [float(np.cos(np.pi * k / 16) / 2) for k in range(8)]
C1, C2, C3, C4, C5, C6, C7 = _C[1:]
ROOT = float(1 / np.sqrt(8))


@helper
def forward(a0, a1, a2, a3, a4, a5, a6, a7):
    """Orthonormal 8-point DCT-II."""
    s0, s1, s2, s3 = a0 + a7, a1 + a6, a2 + a5, a3 + a4
    d0, d1, d2, d3 = a0 - a7, a1 - a6, a2 - a5, a3 - a4
    p0, p1, q0, q1 = s0 + s3, s1 + s2, s0 - s3, s1 - s2
    c0 = np.float32(ROOT) * (p0 + p1)
    c4 = np.float32(ROOT) * (p0 - p1)
    c2 = np.float32(C2) * q0 + np.float32(C6) * q1
    c6 = np.float32(C6) * q0 - np.float32(C2) * q1
    c1 = np.float32(C1) * d0 + np.float32(C3) * d1 + np.float32(C5) * d2 + np.float32(C7) * d3
    c3 = np.float32(C3) * d0 - np.float32(C7) * d1 - np.float32(C1) * d2 - np.float32(C5) * d3
    c5 = np.float32(C5) * d0 - np.float32(C1) * d1 + np.float32(C7) * d2 + np.float32(C3) * d3
    c7 = np.float32(C7) * d0 - np.float32(C5) * d1 + np.float32(C3) * d2 - np.float32(C1) * d3
    return c0, c1, c2, c3, c4, c5, c6, c7


@helper
def inverse(c0, c1, c2, c3, c4, c5, c6, c7):
    """Inverse of `forward`."""
    p0, p1 = np.float32(ROOT) * (c0 + c4), np.float32(ROOT) * (c0 - c4)
    q0 = np.float32(C2) * c2 + np.float32(C6) * c6
    q1 = np.float32(C6) * c2 - np.float32(C2) * c6
    s0, s3, s1, s2 = p0 + q0, p0 - q0, p1 + q1, p1 - q1
    d0 = np.float32(C1) * c1 + np.float32(C3) * c3 + np.float32(C5) * c5 + np.float32(C7) * c7
    d1 = np.float32(C3) * c1 - np.float32(C7) * c3 - np.float32(C1) * c5 - np.float32(C5) * c7
    d2 = np.float32(C5) * c1 - np.float32(C1) * c3 + np.float32(C7) * c5 + np.float32(C3) * c7
    d3 = np.float32(C7) * c1 - np.float32(C5) * c3 + np.float32(C3) * c5 - np.float32(C1) * c7
    return s0 + d0, s1 + d1, s2 + d2, s3 + d3, s3 - d3, s2 - d2, s1 - d1, s0 - d0
