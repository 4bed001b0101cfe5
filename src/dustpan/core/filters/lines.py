"""Lines of a sensor: rows at a fixed period whose values are shifted against their neighbours.

Everything here speaks of rows; for columns the picture is turned first. Rows are compared with rows `apart` px away,
which on a sensor's mosaic hold the same colours.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np

PERIODS = range(4, 65)
SUPPORT = 96  # px: smoothed along the row three times; lines nearby, and the rows that these are compared with
_BLOCK = 112  # px, side of the squares in which lines are looked for
_SURE = 6.0  # deviations by which a line stands out in a square
_PART_OF_OTHERS = 0.5  # of a line's offset, by which it stands out of every other row
_AGREEING, _LEAST_SQUARES = 0.12, 3  # share and number of the squares that must show the same lines
_PARTS, _LEAST_PART = 6, 0.3  # of a square's width, in each of which a line has that share of its offset at least
_SMOOTHED, _SMOOTHED_PX = 33, 66  # values along the row that are averaged, within so many pixels
_LINES = 40  # px; lines within that distance are averaged too
_OF_DOUBT = 3.0  # variance of a line's offset in those of its sound rows: it has a texture of its own
_REACH = 2  # rows around a line that it may have been smeared to
_PART_OF_PEAK = 0.3  # of a line's offset, from which a row beside it belongs to it
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


class _Line(NamedTuple):
    """A line of a square: deviations that it stands out by, period, phase, offset."""

    deviations: float = 0.0
    period: int = 1
    phase: int = 0
    offset: float = 0.0


def find_lines(crops: Sequence[Crop], *, apart: int, least: float, period: int = 0) -> Lines | None:
    """Return the lines of a picture, or None.

    Parameters
    ----------
    crops : parts of the picture.
    apart : distance of the rows that each row is compared with.
    least : offset that is worth a line.
    period : 0 to look for it, or the one to take.

    Notes
    -----
    In each square rows are averaged and folded by every period; the phase that stands out most from the scatter of the
    rows makes a line. Things in the picture repeat as well, but not with the same period and phase in many squares.
    """
    votes: dict[tuple[int, int], list[tuple[np.ndarray, int, float]]] = {}
    squares = [(square, row) for crop in crops for square, row in _squares(crop)]
    periods = [period] if period else [p for p in PERIODS if p % (2 if apart % 2 == 0 else 1) == 0]
    for (square, row), best in zip(squares, _strongest_of_all(squares, apart, periods), strict=True):
        if best.deviations > _SURE and _goes_through(square, row, apart, best):
            votes.setdefault((best.period, best.phase), []).append((square, row, best.offset))
    if not votes:
        return None
    (found, phase), agreeing = max(votes.items(), key=lambda item: len(item[1]))
    size = float(np.median([abs(offset) for _, _, offset in agreeing]))
    if size < least or len(agreeing) < max(_LEAST_SQUARES, _AGREEING * len(squares)):
        return None
    return Lines(found, _smeared(agreeing, found, phase, apart), size)


def _squares(crop: Crop) -> list[tuple[np.ndarray, int]]:
    """Return (square, its first row) for all of a crop."""
    tone, (_, top) = crop
    down, across = (max(n // _BLOCK, 1) for n in tone.shape)
    rows = [int(v) for v in np.linspace(0, tone.shape[0], down + 1)]
    columns = [int(v) for v in np.linspace(0, tone.shape[1], across + 1)]
    return [(tone[y0:y1, x0:x1], top + y0) for y0, y1 in pairwise(rows) for x0, x1 in pairwise(columns)]


def _row_offsets(square: np.ndarray, apart: int) -> np.ndarray:
    """Return by how much each row differs from the rows `apart` above and below.

    The median along the row: a line of a sensor shifts all of it, a line of letters less than half.
    """
    if len(square) <= 2 * apart:
        return np.empty(0)
    rest = square[apart:-apart] - (square[: -2 * apart] + square[2 * apart :]) / 2
    return np.median(rest, axis=1)


def _strongest_of_all(squares: Sequence[tuple[np.ndarray, int]], apart: int, periods: Sequence[int]) -> list[_Line]:
    """Return the line that stands out most in each square; squares of as many rows are looked at together."""
    found = [_Line()] * len(squares)
    heights = np.array([len(square) for square, _ in squares])
    for height in np.unique(heights):
        own = np.flatnonzero(heights == height).tolist()
        offsets = np.stack([_row_offsets(squares[n][0], apart) for n in own])
        first = np.array([squares[n][1] + apart for n in own])
        for period in periods:
            if offsets.shape[1] >= 4 * period:
                for n, line in zip(own, _strongest(offsets, first, period), strict=True):
                    found[n] = max(found[n], line)
    return found


def _strongest(offsets: np.ndarray, first: np.ndarray, period: int) -> list[_Line]:
    """Return the phase of a period that stands out most in each square.

    Parameters
    ----------
    offsets : (squares, rows) as `_row_offsets` gives them.
    first : (squares,), the row of the picture at which those of each square begin.
    """
    count = offsets.shape[1]
    phases = np.arange(count) % period
    rows = np.bincount(phases)
    means = offsets @ (phases[:, None] == np.arange(period)).astype(np.float32) / rows
    spread = np.sqrt(np.mean((offsets - means[:, phases]) ** 2, axis=1) * count / max(count - period, 1)) + 1e-9
    deviations = np.abs(means) * np.sqrt(rows) / spread[:, None]
    most = np.argmax(deviations, axis=1)
    at = np.arange(len(most)), most
    deviations[at] *= ~_every_other(means, most)
    found = deviations[at].tolist(), ((first + most) % period).tolist(), means[at].tolist()
    return [_Line(size, period, phase, offset) for size, phase, offset in zip(*found, strict=True)]


def _every_other(means: np.ndarray, most: np.ndarray) -> np.ndarray:
    """Return where what stands out is every other row: the colours of a mosaic leave that, in saturated colours.

    Parameters
    ----------
    means : (squares, period) of the offsets at each phase.
    most : (squares,), the phase that stands out.
    """
    period = means.shape[1]
    if period % 2:
        return np.zeros(len(means), bool)
    squares, beside = np.arange(len(means)), np.arange(2, period, 2)
    highest = means[squares, most]
    others = np.median(means[squares[:, None], (most[:, None] + beside) % period], axis=1)
    return np.abs(highest - others) < _PART_OF_OTHERS * np.abs(highest)


def _goes_through(square: np.ndarray, row: int, apart: int, found: _Line) -> bool:
    """Return whether a line's offset is there all along it, which that of drawn things is not."""
    rest = square[apart:-apart] - (square[: -2 * apart] + square[2 * apart :]) / 2
    on_lines = rest[(found.phase - row - apart) % found.period :: found.period]
    parts = [np.median(part) for part in np.array_split(on_lines, _PARTS, axis=1)]
    return float(np.min(parts) if found.offset > 0 else -np.max(parts)) > _LEAST_PART * abs(found.offset)


def _smeared(squares: Sequence[tuple[np.ndarray, int, float]], period: int, phase: int, apart: int) -> tuple[int, ...]:
    """Return the phases that belong to a line: of an interpolated mosaic the rows beside it do too."""
    step = apart if apart % 2 == 0 else 1
    reach = min(_REACH, (period - 1) // 2 - step) // step * step
    if reach < step:
        return (phase,)
    shifts = np.arange(-reach, reach + 1, step)  # rows that hold the same colours
    found = []
    for square, row, offset in squares:
        first = (phase - row) % period
        lines = np.arange(first, len(square), period)
        lines = lines[(lines > reach + step) & (lines < len(square) - reach - step - 1)]
        if len(lines):
            ends = (square[lines - reach - step] + square[lines + reach + step]) / 2
            found.append([np.median(square[lines + shift] - ends) / offset for shift in shifts])
    profile = np.median(found, axis=0) if found else np.array([1.0])
    belongs = [int(s) for s, v in zip(shifts, profile, strict=False) if abs(v) > _PART_OF_PEAK or s == 0]
    return tuple(sorted({(phase + shift) % period for shift in belongs}))


def mend_lines(tile: np.ndarray, top: int, lines: Lines, *, apart: int, strength: float) -> np.ndarray:
    """Return a tile whose lines are brought back to their neighbours.

    Parameters
    ----------
    tile : h x w x c; each line is changed by an offset that varies slowly along it.
    top : row of the picture that the tile begins at.
    apart : as for `find_lines`; values this far apart along a row hold the same colour.

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
