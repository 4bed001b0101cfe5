"""Leave out the parts of a picture that were drawn or are blank: pages, frames and panels around a photograph."""

from __future__ import annotations

import numpy as np
import scipy

CELL = 32  # px, side of the cells that are blank or not
_EQUAL = 0.5  # share of a cell's pixels that equal a neighbour exactly, from which it is blank; noise leaves few
_PLAIN = 0.15  # share of blank cells, under which a picture is taken as it is
_LEAST = 3  # cells across and down that a photograph has at least


def photographed_parts(crops: list[np.ndarray]) -> list[np.ndarray]:
    """Return crops (h x w x 3) reduced to the rectangle around their largest part that is not blank.

    Crops with hardly anything blank, or with nothing else, are returned as they are.
    """
    return [_largest_part(crop) for crop in crops]


def _largest_part(crop: np.ndarray) -> np.ndarray:
    blank = _blank_cells(crop)
    if blank.size == 0 or not _PLAIN < blank.mean() < 1:
        return crop
    labels, count = scipy.ndimage.label(~blank)
    sizes = np.bincount(labels.ravel(), minlength=count + 1)[1:]
    rows, columns = scipy.ndimage.find_objects(labels)[int(np.argmax(sizes))]
    if min(rows.stop - rows.start, columns.stop - columns.start) < _LEAST:
        return crop
    inner = tuple(slice(CELL * side.start, CELL * side.stop) for side in (rows, columns))
    return np.ascontiguousarray(crop[inner])


def _blank_cells(crop: np.ndarray) -> np.ndarray:
    """Return (rows, columns), which cells hold mostly pixels that equal the one to the left or above."""
    same = np.zeros(crop.shape[:2], np.float32)
    same[:, 1:] = (crop[:, 1:] == crop[:, :-1]).all(axis=2)
    same[1:] = np.maximum(same[1:], (crop[1:] == crop[:-1]).all(axis=2))
    rows, columns = crop.shape[0] // CELL, crop.shape[1] // CELL
    cells = same[: rows * CELL, : columns * CELL].reshape(rows, CELL, columns, CELL)
    return cells.mean(axis=(1, 3)) > _EQUAL
