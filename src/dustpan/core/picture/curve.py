"""The sRGB tone curve and primaries, and where a value counts as clipped.

Working pixels are float32, H x W x 3, in the sRGB curve continued above 1 and mirrored below 0, so that
every finite linear value has one working value and the way back is exact to rounding.

References
----------
IEC 61966-2-1 (1999), Default RGB colour space - sRGB.
"""

from __future__ import annotations

import numpy as np

_LINEAR_PART = 0.04045  # encoded value up to which the curve is straight
_LINEAR_PART_OF_LIGHT = 0.0031308  # the same in linear light

#: Linear sRGB to CIE XYZ under D65, rows X, Y and Z.
SRGB_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])

#: Working values at or below the first, or at or above the second, count as clipped: half an 8-bit step from the end.
CLIPPED_BLACK, CLIPPED_WHITE = 0.002, 0.998


def decode_curve(encoded: np.ndarray) -> np.ndarray:
    """Return linear light for working values (float32, any shape; mirrored below 0, continued above 1)."""
    size = np.abs(encoded)
    linear = np.where(size <= _LINEAR_PART, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    return np.copysign(linear, encoded).astype(np.float32)


def encode_curve(linear: np.ndarray) -> np.ndarray:
    """Return working values for linear light; the inverse of `decode_curve`."""
    size = np.abs(linear)
    straight = np.minimum(size, np.float32(_LINEAR_PART_OF_LIGHT)) * np.float32(12.92)  # no product of huge light
    encoded = np.where(size <= _LINEAR_PART_OF_LIGHT, straight, 1.055 * size ** (1 / 2.4) - 0.055)
    return np.copysign(encoded, linear).astype(np.float32)


def encode_slope(encoded: np.ndarray) -> np.ndarray:
    """Return by how much working values (0 to 1) rise with linear light, 12.92 in the darks to 0.44 at white."""
    root = (np.maximum(encoded, _LINEAR_PART) + 0.055) / 1.055  # of light, by the power of 2.4
    return np.where(encoded <= _LINEAR_PART, 12.92, 1.055 / 2.4 * root**-1.4).astype(np.float32)


def is_clipped(values: np.ndarray) -> np.ndarray:
    """Return where working values are clipped at black or at white."""
    return (values <= CLIPPED_BLACK) | (values >= CLIPPED_WHITE)
