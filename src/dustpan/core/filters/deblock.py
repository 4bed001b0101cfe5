"""Take compression blocks, ringing and colour blots out of a tile, within what the compression's rounding allows."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.compression import SIDE, join_luma, split_luma
from dustpan.core.filters.dct import clean_plane, double, halve, window_mean
from dustpan.core.kernels.compressed import count_strong, hold_blocks
from dustpan.core.picture.region import Region
from dustpan.core.work.cancel import Check, no_check

SUPPORT = 56  # px: windows of the half-size colour planes, and whole blocks of these
_UNIT = 2 * SIDE  # px; padded tiles hold whole blocks of colour planes of half the size
_PADDING = 32  # px around that: windows of half-size planes
_ASSUMED = (0.8, 0.55)  # of the rounding error, luminance and colour: more is smoother and loses texture
_ALLOWED = np.float32(0.3)  # of a step, by which a coefficient may move
_BUSY = 0.4  # power of a block's own error over the mean one, with `ringing` at 1
#: A block's error relative to that of even rounding: of its coefficients beside the mean so many are not 0.
_CALM, _PER_COEFFICIENT = 0.075, 0.024
_LEAST_PART, _MOST_PART = 0.5, 1.5  # of the mean error, that a block is cleaned by


@dataclass(frozen=True, eq=False)
class Rounding:
    """How a picture was rounded when it was compressed, in working values.

    Attributes
    ----------
    steps : luminance and colour, (8, 8) each.
    errors : the same, deviation of the error that rounding has left in each coefficient.
    corner : (x, y) of the grid.
    halved : whether colour was kept at half the size.
    colour : whether there is any.
    """

    steps: tuple[np.ndarray, np.ndarray]
    errors: tuple[np.ndarray, np.ndarray]
    corner: tuple[int, int]
    halved: bool
    colour: bool = True


def deblock_tile(
    tile: np.ndarray, region: Region, rounding: Rounding, *, ringing: float, check: Check = no_check
) -> np.ndarray:
    """Clean a tile of what its compression has added.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels covering `region`; its outer `SUPPORT` px lack neighbours.
    ringing : 0 to 1, how much harder blocks with edges and texture are cleaned than calm ones.

    Notes
    -----
    Windows of the block transform at every second pixel are freed of the rounding's error as if it were noise of
    that spectrum, and averaged (compare Nosratinia 2001, doi 10.1023/A:1011152511837; Foi, Katkovnik and Egiazarian
    2007, doi 10.1109/TIP.2007.891788). Then each coefficient of the picture's own blocks is held to within a part of
    its step, so that nothing that was certain is lost.
    """
    x0, y0, x1, y1 = region
    left, top = ((a - c) % _UNIT + _PADDING for a, c in zip((x0, y0), rounding.corner, strict=True))
    right, bottom = (-(n + o) % _UNIT + _PADDING for n, o in zip((x1 - x0, y1 - y0), (left, top), strict=True))
    padded = np.pad(tile, ((top, bottom), (left, right), (0, 0)), mode="symmetric")
    planes = split_luma(padded)
    start = x0 - left - rounding.corner[0]
    for index, plane in enumerate(planes if rounding.colour else planes[:1]):
        small = halve(plane) if index and rounding.halved else plane
        column = start // 2 if small is not plane else start
        cleaned = _clean(small, rounding, min(index, 1), ringing=ringing, column=column, check=check)
        planes[index] = plane + double(cleaned - small) if small is not plane else cleaned
    return join_luma(planes)[top : top + y1 - y0, left : left + x1 - x0]


def _clean(
    plane: np.ndarray, rounding: Rounding, which: int, *, ringing: float, column: int, check: Check
) -> np.ndarray:
    """Return a plane of whole blocks cleaned, each coefficient within its bounds."""
    steps, errors = (np.require(table[which], np.float32, "C") for table in (rounding.steps, rounding.errors))
    mean = np.float32(np.sqrt((errors**2).mean()))
    parts = cv2.resize(_error_parts(plane, steps, mean, ringing), plane.shape[::-1])
    cleaned = clean_plane(
        plane,
        sigma=window_mean(parts) * (np.float32(_ASSUMED[which]) * mean),
        spectrum=np.maximum(errors / mean, 1),
        left=column,
        check=check,
    )
    hold_blocks(plane, _ALLOWED * steps, cleaned)
    return cleaned


def _error_parts(plane: np.ndarray, steps: np.ndarray, mean: np.float32, ringing: float) -> np.ndarray:
    """Return each block's error relative to the mean one, as far as `ringing` lets them differ."""
    busy = np.empty((plane.shape[0] // SIDE, plane.shape[1] // SIDE), np.float32)
    count_strong(plane, steps / 2, busy)
    even = np.float32(np.sqrt((steps**2).mean() / 12))
    own = even * np.minimum(_CALM + _PER_COEFFICIENT * busy, 1.1)
    return (np.clip(own / mean, _LEAST_PART, _MOST_PART) ** (_BUSY * ringing)).astype(np.float32)
