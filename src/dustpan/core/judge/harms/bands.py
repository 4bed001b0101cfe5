"""Bands: rows or columns shifted as a whole, that were not there before."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides
from dustpan.core.noise.model import DISPLAY

BANDS = Harm("bands_drawn", "bands_drawn", 0.8, "bands of {size:.1f} levels drawn in")

_REACH = 8  # rows on both sides that a row is compared with
_STRONGER = 1.5  # times the bands before, from which bands are new


def measure_bands(sides: Sides) -> float:
    """Return the deviation of new bands in a patch, in display values; 0 for none."""
    both = zip(*(side.derived(_both_ways) for side in sides), strict=True)
    grown = [max(after - before, 0.0) if after > _STRONGER**2 * before else 0.0 for before, after in both]
    return float(np.sqrt(max(grown)) * DISPLAY)


def _both_ways(side: Side) -> tuple[float, float]:
    return _bands(side.tone), _bands(side.tone.T)


def _bands(tone: np.ndarray) -> float:
    """Return the covariance of the left and right halves of the rows, robustly over the rows."""
    tone = np.ascontiguousarray(tone)
    if min(tone.shape) < 4 * _REACH:
        return 0.0
    rest = tone - cv2.blur(tone, (1, 2 * _REACH + 1), borderType=cv2.BORDER_REFLECT)
    halves = np.stack([_row_medians(part) for part in np.array_split(rest, 2, axis=1)])
    halves -= np.median(halves, axis=1, keepdims=True)
    return float(max(np.median(halves[0] * halves[1]) / 0.455, 0.0))  # the median of a normal's square


def _row_medians(values: np.ndarray) -> np.ndarray:
    """Return the medians of rows; sorting short rows takes a tenth of the time of `np.median`."""
    middle = values.shape[1] // 2
    ordered = np.sort(values, axis=1)
    return (ordered[:, middle] + ordered[:, -1 - middle]) / 2


def combine_bands(patches: Sequence[float]) -> float | None:
    """Return the lower quartile over patches: bands run through the whole picture."""
    return float(np.quantile(patches, 0.25)) if len(patches) else None


class Bands(Measure):
    """Bands drawn in."""

    figures: ClassVar = {
        "bands_drawn": "deviation of rows or columns that are newly shifted as a whole, display values"
    }
    harms = (BANDS,)

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_bands(patch.sides)

    def combine(self, found):
        """Return the figures over patches."""
        return {"bands_drawn": combine_bands(found)}
