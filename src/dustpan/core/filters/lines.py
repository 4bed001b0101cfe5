"""Mend the lines of a sensor: rows at a fixed period whose values are shifted against their neighbours.

Everything here speaks of rows; for columns the picture is turned first. Rows are compared with rows `apart` px away,
which on a sensor's mosaic hold the same colours.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

SUPPORT = 96  # px: smoothed along the row three times; lines nearby, and the rows that these are compared with
_SMOOTHED, _SMOOTHED_PX = 33, 66  # values along the row that are averaged, within so many pixels
_LINES = 40  # px; lines within that distance are averaged too
_OF_DOUBT = 3.0  # variance of a line's offset in those of its sound rows: it has a texture of its own
#: Tones and the point (column, row) they begin at.
Crop = tuple[np.ndarray, tuple[int, int]]


@dataclass(frozen=True)
class Lines:
    """Where a sensor's lines are.

    Attributes
    ----------
    period : px from line to line.
    phases : row numbers, modulo the period, that belong to lines.
    size : the offset of the clearest squares, in the values' own unit.
    """

    period: int
    phases: tuple[int, ...]
    size: float

    def rows(self, start: int, end: int) -> np.ndarray:
        """Return which of the rows from `start` to `end` belong to lines."""
        return np.isin(np.arange(start, end) % self.period, self.phases)


def mend_lines(tile: np.ndarray, top: int, lines: Lines, *, apart: int, strength: float) -> np.ndarray:
    """Return a tile whose lines are brought back to their neighbours.

    Parameters
    ----------
    tile : h x w x c; each line is changed by an offset that varies slowly along it.
    top : row of the picture that the tile begins at.
    apart : as for `line_search.find_lines`; values this far apart along a row hold the same colour.

    Notes
    -----
    A line's offset is its difference to the nearest sound rows, averaged along the row (outliers clipped) and over the
    lines nearby, weighed by how well sound rows beside it fit their own neighbours there: an edge along the row counts
    for little. Of that goes the share which is certain: texture may differ by more than the lines do.
    """
    height = tile.shape[0]
    belongs = lines.rows(top, top + height)
    step = apart if apart % 2 == 0 else 1
    above, below = _sound_rows(belongs, step)
    above, below = np.where(above < 0, below, above), np.where(below == height, above, below)  # at the picture's ends
    rows = np.flatnonzero(belongs & (above >= 0) & (below >= 0) & (above < height) & (below < height))
    if not len(rows):
        return tile
    apart_by = np.maximum(below[rows] - above[rows], 1)
    share = np.clip((rows - above[rows]) / apart_by, 0, 1).astype(np.float32)[:, None, None]
    base = tile[above[rows]] * (1 - share) + tile[below[rows]] * share
    offsets = _along(tile[rows] - base, step, _clipped_mean)
    doubt = _doubt(tile, above[rows], below[rows], step)
    mended = tile.copy()
    mended[rows] -= np.float32(strength) * _over_lines(offsets, doubt, rows, lines, top)
    return mended


def _sound_rows(belongs: np.ndarray, step: int) -> tuple[np.ndarray, np.ndarray]:
    """Return for every row the nearest sound ones above and below at multiples of `step`; -1 or the height for none."""
    height = len(belongs)
    above, below = np.full(height, -1), np.full(height, height)
    for distance in range(step, max(4 * step, 10) + 1, step):
        rows = np.arange(height)
        up, down = rows - distance, rows + distance
        sound_up = (up >= 0) & ~belongs[np.maximum(up, 0)]
        sound_down = (down < height) & ~belongs[np.minimum(down, height - 1)]
        above = np.where((above < 0) & sound_up, up, above)
        below = np.where((below == height) & sound_down, down, below)
    return above, below


def _along(values: np.ndarray, step: int, smooth: Callable[[np.ndarray, int], np.ndarray]) -> np.ndarray:
    """Return (n, w, c) values smoothed along the rows, of each colour apart."""
    smoothed, count = np.empty_like(values), min(_SMOOTHED, _SMOOTHED_PX // step | 1)
    for phase in range(step):
        smoothed[:, phase::step] = smooth(np.ascontiguousarray(values[:, phase::step]), count)
    return smoothed


def _clipped_mean(part: np.ndarray, count: int) -> np.ndarray:
    """Return means of so many values along the rows, outliers clipped."""
    mean = _mean(part, count)
    limit = 2 * np.sqrt(np.maximum(_mean((part - mean) ** 2, count), 0)) + np.float32(1e-9)
    return _mean(np.clip(part, mean - limit, mean + limit), count)


def _mean(part: np.ndarray, count: int) -> np.ndarray:
    """Return means of so many values along the rows, summed in the same order wherever a tile begins."""
    half, width = count // 2, part.shape[1]
    sums = cv2.copyMakeBorder(part, 0, 0, half, half, cv2.BORDER_REFLECT).reshape(len(part), -1, part.shape[2])
    total, at, size = np.zeros_like(part), 0, 1
    while size <= count:
        if count & size:
            total += sums[:, at : at + width]
            at += size
        sums, size = sums[:, :-size] + sums[:, size:], 2 * size
    return total * np.float32(1 / count)


def _doubt(tile: np.ndarray, above: np.ndarray, below: np.ndarray, step: int) -> np.ndarray:
    """Return (n, w, c): how far the sound rows beside the lines are from one another, squared.

    A line at the picture's end has such a row on one side alone, which is no evidence: the lines nearby count.
    """
    means = _along(tile[below] - tile[above], step, _mean)
    apart = _along(means**2, step, _mean) / 4 + np.float32(1e-10)
    apart[above == below] += 1
    return apart


def _over_lines(offsets: np.ndarray, doubt: np.ndarray, rows: np.ndarray, lines: Lines, top: int) -> np.ndarray:
    """Return the offsets averaged over lines nearby, of the same phase, by the inverse of their doubt, then shrunk."""
    phases = (rows + top) % lines.period
    averaged, error = np.empty_like(offsets), np.empty_like(offsets)
    for phase in np.unique(phases):
        own = np.flatnonzero(phases == phase)
        for index in own:
            near = own[np.abs(rows[own] - rows[index]) <= max(_LINES // lines.period, 1) * lines.period]
            weights = 1 / doubt[near]
            total = weights.sum(axis=0)
            averaged[index], error[index] = (weights * offsets[near]).sum(axis=0) / total, _OF_DOUBT / total
    signal = np.maximum(averaged**2 - error, 0)
    return averaged * (signal / (signal + error))
