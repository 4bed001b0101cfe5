"""Conversion between a file's native values and working pixels."""

from __future__ import annotations

import numpy as np

from dustpan.core.picture.curve import decode_curve, encode_curve


def to_working(native: np.ndarray, *, linear: bool = False) -> np.ndarray:
    """Return native pixels (h x w x 1 or 3) as working pixels (h x w x 3 float32, 0 black, 1 white)."""
    working = native.astype(np.float32)
    if native.dtype.kind == "u":
        working *= np.float32(1 / np.iinfo(native.dtype).max)
    if linear:
        working = encode_curve(working)
    return np.repeat(working, 3, axis=2) if native.shape[2] == 1 else working


def from_working(working: np.ndarray, *, dtype, linear: bool = False) -> np.ndarray:
    """Return working pixels as uint8, uint16 (rounded and clipped) or float32; `linear` gives linear light."""
    if linear:
        working = decode_curve(working)
    if dtype == np.float32:
        return working.astype(np.float32)
    top = np.float32(np.iinfo(dtype).max)
    return (np.clip(working, 0, 1) * top + np.float32(0.5)).astype(dtype)
