"""Tone curves and colour axes that the numerics share.

Working pixels are float32, H x W x 3, in the sRGB curve continued above 1 and mirrored below 0, so that
every finite linear value has one working value and the way back is exact to rounding.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.pixelwise import add_grey, join_opponent, mean_tone, split_opponent

_TOE = 0.04045
_LINEAR_TOE = 0.0031308

#: Rows are luminance, red against blue, green against both; orthonormal, so noise keeps its size.
OPPONENT = np.array(
    [[1 / 3**0.5] * 3, [1 / 2**0.5, 0.0, -1 / 2**0.5], [1 / 6**0.5, -2 / 6**0.5, 1 / 6**0.5]], np.float32
)


def decode_curve(encoded: np.ndarray) -> np.ndarray:
    """Return linear light for working values (float32, any shape; mirrored below 0, continued above 1)."""
    size = np.abs(encoded)
    linear = np.where(size <= _TOE, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    return np.copysign(linear, encoded).astype(np.float32)


def encode_curve(linear: np.ndarray) -> np.ndarray:
    """Return working values for linear light; the inverse of `decode_curve`."""
    size = np.abs(linear)
    encoded = np.where(size <= _LINEAR_TOE, size * 12.92, 1.055 * size ** (1 / 2.4) - 0.055)
    return np.copysign(encoded, linear).astype(np.float32)


def to_opponent(rgb: np.ndarray) -> np.ndarray:
    """Return 3 x H x W planes (luminance, two colour axes) of an H x W x 3 picture, float32."""
    planes = np.empty((3, *rgb.shape[:2]), np.float32)
    split_opponent(np.require(rgb, np.float32, ("C", "W")), planes)
    return planes


def from_opponent(planes: np.ndarray) -> np.ndarray:
    """Return H x W x 3 from opponent planes; the inverse (transpose) of `to_opponent`."""
    rgb = np.empty((*planes.shape[1:], 3), np.float32)
    join_opponent(np.require(planes, np.float32, ("C", "W")), rgb)
    return rgb


def tone_of(rgb: np.ndarray) -> np.ndarray:
    """Return the display tone (mean of the channels) of an H x W x 3 picture, float32, H x W."""
    tone = np.empty(rgb.shape[:2], np.float32)
    mean_tone(np.require(rgb, np.float32, ("C", "W")), tone)
    return tone


def with_grey(rgb: np.ndarray, grey: np.ndarray, part: float = 1.0) -> np.ndarray:
    """Return an H x W x 3 picture with `part` of an H x W plane added to each channel alike, float32."""
    out = np.empty(rgb.shape, np.float32)
    plane = np.require(grey, np.float32, ("C", "W"))
    add_grey(np.require(rgb, np.float32, ("C", "W")), plane, np.float32(part), out)
    return out
