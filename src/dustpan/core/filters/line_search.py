"""Find the lines of a sensor: rows at a fixed period that differ from their neighbours by the same offset.

Everything here speaks of rows; for columns the picture is turned first.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from dustpan.core.filters.lines import Crop, Lines

PERIODS = range(4, 65)
_BLOCK = 112  # px, side of the squares in which lines are looked for
_SURE = 6.0  # deviations by which a line stands out in a square
_PART_OF_OTHERS = 0.5  # of a line's offset, by which it stands out of every other row
_AGREEING, _LEAST_SQUARES = 0.12, 3  # share and number of the squares that must show the same lines
_PARTS, _LEAST_PART = 6, 0.3  # of a square's width, in each of which a line has that share of its offset at least
_REACH = 2  # rows around a line that it may have been smeared to
_PART_OF_PEAK = 0.3  # of a line's offset, from which a row beside it belongs to it


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
