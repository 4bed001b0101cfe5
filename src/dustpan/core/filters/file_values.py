"""Between the values of a file with a tone curve of its own and display values in the sRGB curve."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.pixelwise import bend_values
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.file_curve import FileCurve


def to_display(values: np.ndarray, curve: FileCurve | None) -> np.ndarray:
    """Return float32 display values of a file's values of any shape; without a curve they are the same.

    Values below 0 are mirrored, and those above 1 stay as far above.
    """
    return values if curve is None else _bent(values, curve.forward)


def from_display(shown: np.ndarray, curve: FileCurve | None) -> np.ndarray:
    """Return a file's values of display values; the inverse of `to_display`."""
    return shown if curve is None else _bent(shown, curve.back)


def to_light(values: np.ndarray, curve: FileCurve | None) -> np.ndarray:
    """Return the linear light of a file's values."""
    return decode_curve(to_display(values, curve))


def from_light(light: np.ndarray, curve: FileCurve | None) -> np.ndarray:
    """Return a file's values of linear light, float32; the inverse of `to_light`."""
    return from_display(encode_curve(light).astype(np.float32), curve)


def _bent(values: np.ndarray, table: np.ndarray) -> np.ndarray:
    flat = np.require(values, np.float32, ("C", "W")).reshape(-1)
    out = np.empty_like(flat)
    bend_values(flat, np.require(table, np.float32, ("C", "W")), out)
    return out.reshape(values.shape)
