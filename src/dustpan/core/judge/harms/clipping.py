"""Clipping: pixels driven to black or white."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dustpan.core.judge.harms.base import Harm

_LIMIT = 0.002  # share of the picture
BLACK = Harm("clipping_black", "clipped_black", _LIMIT, "{size:.1f} % driven to black", 100)
WHITE = Harm("clipping_white", "clipped_white", _LIMIT, "{size:.1f} % driven to white", 100)

#: Pixels of a patch, and those of them newly at black and at white.
Clipped = tuple[int, int, int]


def measure_clipping(before: np.ndarray, after: np.ndarray) -> Clipped:
    """Return how many pixels of a patch were clipped at black and at white that were not before."""
    black = (after.min(axis=2) <= 0) & (before.min(axis=2) > 0)
    white = (after.max(axis=2) >= 1) & (before.max(axis=2) < 1)
    return black.size, int(black.sum()), int(white.sum())


def combine_clipping(patches: Sequence[Clipped]) -> tuple[float, float]:
    """Return the shares of pixels newly at black and at white over patches."""
    pixels, black, white = np.sum(patches, axis=0) if len(patches) else (0, 0, 0)
    return float(black / max(pixels, 1)), float(white / max(pixels, 1))
