"""Worms: strokes that cleaning and sharpening draw out of the remains of noise in bare places."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides, square_means
from dustpan.core.judge.harms.louder import bare_squares

WORMS = Harm("worms", "worms", 1.8, "worms of {size:.1f} levels in bare places", drawn=True)

_BAND = (0.7, 3.0)  # px, deviations of the blurs between which strokes are looked for
_GATHER = 2.5  # px, deviation of the window in which slopes are compared
_BY_CHANCE = 0.42  # coherence that the slopes of undirected noise seldom pass: it is 0.23 on average
_OWN = 0.08  # by which the route must have raised the coherence; what had it before is texture
_OF_NOISE = 0.25  # of the noise that was there, under which strokes are what even a good cleaning leaves of it
_FEW = 12  # bare squares of a picture, under which worms are not measured

#: Deviations in bare squares, display values, (2, n): of strokes after the route, and of what was there before.
Worms = np.ndarray


def measure_worms(sides: Sides) -> Worms:
    """Return the deviation of strokes in each bare square: directed energy beyond that of undirected noise."""
    bare = sides[0].derived(bare_squares)
    if not bare.any():
        return np.empty((2, 0))
    (noise, before), (energy, after) = (side.derived(_directed) for side in sides)
    more = np.where(after > before + _OWN, np.clip(after - np.maximum(before, _BY_CHANCE), 0, None), 0)
    return 255 * np.sqrt(np.stack([energy * more / (1 - _BY_CHANCE), noise])[:, bare])


def _directed(side: Side) -> tuple[np.ndarray, np.ndarray]:
    """Return energy and coherence of the fine structure in each square.

    References
    ----------
    Bigun, J. and Granlund, G. (1987), Optimal orientation detection of linear symmetry, ICCV, 433-438.
    """
    band = cv2.GaussianBlur(side.tone, (0, 0), _BAND[0]) - cv2.GaussianBlur(side.tone, (0, 0), _BAND[1])
    across, down = (cv2.Sobel(band, cv2.CV_32F, *order) for order in ((1, 0), (0, 1)))
    xx, yy, xy = (cv2.GaussianBlur(p, (0, 0), _GATHER) for p in (across * across, down * down, across * down))
    spread = np.sqrt((xx - yy) ** 2 + 4 * xy * xy)
    coherence = square_means(spread) / np.maximum(square_means(xx + yy), 1e-12)
    return square_means(band * band), coherence


def combine_worms(patches: Sequence[Worms]) -> float | None:
    """Return the deviation of worms in bare places, display values; None where too few are bare.

    Strokes fainter than a part of the noise that was there count as none.
    """
    squares = np.concatenate(patches, axis=1) if len(patches) else np.empty((2, 0))
    if squares.shape[1] < _FEW:
        return None
    strokes, noise = np.sqrt(np.mean(squares**2, axis=1))
    return float(strokes) if strokes > _OF_NOISE * noise else 0.0


class WormsDrawn(Measure):
    """Strokes in bare places."""

    figures: ClassVar = {"worms": "deviation of strokes newly drawn in bare places, display values"}
    harms = (WORMS,)

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_worms(patch.sides)

    def combine(self, found):
        """Return the figures over patches."""
        return {"worms": combine_worms(found)}
