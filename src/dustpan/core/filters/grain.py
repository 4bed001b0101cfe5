"""Grain: noise drawn from each pixel's own place, so that parts of a picture agree with the whole."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.picture.region import Region

_FINEST = 0.8  # px, size from which grains are wider than a pixel
_MASKED = np.uint32(0xFFFF)


def grain_support(size: float) -> int:
    """Return how far around a region `draw_grain` looks, px."""
    return 2 * int(np.ceil(1.25 * _spread(size))) if size > _FINEST else 0


def draw_grain(region: Region, *, size: float, seed: int, channel: int = 0) -> np.ndarray:
    """Return (h, w) float32 grain of unit deviation over a region.

    Parameters
    ----------
    region : in pixels of the picture.
    size : 0.5 to 4 px, width of a grain.
    seed, channel : another seed or channel, another grain.
    """
    reach = grain_support(size)
    x0, y0, x1, y1 = region
    # The last columns of a blur are rounded otherwise than the rest, so more are drawn.
    plane = _normal((x0 - reach, y0 - reach, x1 + reach + 16, y1 + reach), seed, channel)
    if reach:
        line = cv2.getGaussianKernel(2 * reach + 1, _spread(size), cv2.CV_32F)
        plane = cv2.sepFilter2D(plane, -1, line, line, borderType=cv2.BORDER_REFLECT) / np.float32((line**2).sum())
    return np.ascontiguousarray(plane[reach : reach + y1 - y0, reach : reach + x1 - x0])


def _spread(size: float) -> float:
    return 0.5 * size


def _normal(region: Region, seed: int, channel: int) -> np.ndarray:
    """Return nearly normal numbers of unit deviation, each fixed by its place: the sum of four even ones."""
    x = np.arange(region[0], region[2]).astype(np.int64).astype(np.uint32)[None, :]
    y = np.arange(region[1], region[3]).astype(np.int64).astype(np.uint32)[:, None]
    own = _mixed(np.array([(seed * 4 + channel) % 2**32], np.uint32) + np.uint32(0x27D4EB2F))
    key = _mixed(x * np.uint32(0x9E3779B1) ^ _mixed(y ^ own))
    other = _mixed(key + np.uint32(0x85EBCA6B))
    halves = [key & _MASKED, key >> np.uint32(16), other & _MASKED, other >> np.uint32(16)]
    total = sum(half.astype(np.float32) for half in halves)
    return (np.asarray(total) / np.float32(65535) - np.float32(2)) * np.float32(3**0.5)


def _mixed(value: np.ndarray) -> np.ndarray:
    """Return 32-bit numbers with their bits mixed (the finisher of MurmurHash3, A. Appleby, public domain)."""
    with np.errstate(over="ignore"):
        value = (value ^ (value >> np.uint32(16))) * np.uint32(0x85EBCA6B)
        value = (value ^ (value >> np.uint32(13))) * np.uint32(0xC2B2AE35)
        return value ^ (value >> np.uint32(16))


def strength_over_tone(tone: np.ndarray) -> np.ndarray:
    """Return how strong grain is at display tones: most in the middle, little in black and in white."""
    part = np.clip(tone, 0, 1)
    return np.float32(0.25) + np.float32(0.75) * 4 * part * (1 - part)
