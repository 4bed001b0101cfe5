"""Amplified noise: bare places that are grittier after a route than before."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides, square_means

LOUDER = Harm("noise_louder", "noise_louder", 0.25, "noise {size:.0f} % louder in bare places", 100)

_LEAST = 2.0 / 255  # deviation after the route from which grit is seen
_BARE = 1.6  # a square is bare up to this many times the unrest of the quietest tenth
_FEW = 12  # bare squares of a picture, under which no share is given

#: Deviation of the fine detail of bare squares before and after, (n, 2).
Louder = np.ndarray


def measure_louder(sides: Sides) -> Louder:
    """Return (n, 2) deviations of fine detail, before and after, in the squares of a patch that hold noise alone."""
    bare = sides[0].derived(bare_squares)
    return np.sqrt(np.column_stack([side.derived(_fine)[bare] for side in sides]))


def bare_squares(side: Side) -> np.ndarray:
    """Return which squares of a patch hold noise alone."""
    fine = side.derived(_fine)
    if not fine.size:
        return np.zeros(fine.shape, bool)
    return (fine <= _BARE**2 * np.quantile(fine, 0.1) + 1e-9) & (_coarse(side.tone) < fine + (1 / 255) ** 2)


def _fine(side: Side) -> np.ndarray:
    """Return the energy of fine detail in each square."""
    rest = side.tone - cv2.GaussianBlur(side.tone, (0, 0), 1.5)
    return square_means(rest * rest)


def _coarse(tone: np.ndarray) -> np.ndarray:
    """Return the energy of what is coarser than noise in each square."""
    coarse = cv2.GaussianBlur(tone, (0, 0), 2.0) - cv2.GaussianBlur(tone, (0, 0), 6.0)
    return square_means(coarse * coarse) * 4


def combine_louder(patches: Sequence[Louder]) -> float | None:
    """Return the relative growth of the noise of bare squares, 0 where it has not grown or can't be seen."""
    squares = np.concatenate(patches) if len(patches) else np.empty((0, 2))
    if len(squares) < _FEW:
        return None
    before, after = np.median(squares, axis=0)
    return 0.0 if after < _LEAST else max(float(after / max(before, 0.5 / 255)) - 1, 0.0)


class NoiseLouder(Measure):
    """Noise of bare places that has grown."""

    figures: ClassVar = {"noise_louder": "part by which the noise of bare places has grown"}
    harms = (LOUDER,)

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_louder(patch.sides)

    def combine(self, found):
        """Return the figures over patches."""
        return {"noise_louder": combine_louder(found)}
