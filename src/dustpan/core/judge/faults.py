"""Faults that a picture's own pixels tell: bands, softness."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from dustpan.core.judge.harms.edges import find_edges
from dustpan.core.noise.model import DISPLAY

_BAND_REACH = 15  # rows on both sides that a row is compared with


def find_bands(tone: np.ndarray) -> tuple[float, float]:
    """Return the deviation of rows and of columns from their neighbours, in display values, beyond that of noise.

    Parameters
    ----------
    tone : (h, w).

    Notes
    -----
    Medians over each row of the tone less its blur across rows, which takes the picture itself away.
    """
    return _bands(tone), _bands(np.ascontiguousarray(tone.T))


def _bands(tone: np.ndarray) -> float:
    side = 2 * _BAND_REACH + 1
    if tone.shape[0] < 2 * side:
        return 0.0
    rest = tone - cv2.blur(tone, (1, side), borderType=cv2.BORDER_REFLECT)
    offsets = np.median(rest, axis=1)
    # Noise is independent in both halves of a row; a band is common to them.
    halves = [np.median(rest[:, n::2], axis=1) for n in (0, 1)]
    common = float(np.mean((halves[0] - halves[0].mean()) * (halves[1] - halves[1].mean())))
    typical = float((1.4826 * np.median(np.abs(offsets - np.median(offsets)))) ** 2)
    return float(np.sqrt(max(min(common, typical), 0.0)) * DISPLAY)


def edge_rise(patches: Sequence[np.ndarray]) -> float | None:
    """Return the 10-90 % rise of the strongest edges of patches (h x w x 3), in px; None without an edge."""
    found = [edges.profiles[0] for patch in patches if (edges := find_edges(patch, patch)) is not None]
    if not found:
        return None
    profile = np.median(np.concatenate(found), axis=0)
    fine = np.linspace(0, len(profile) - 1, 20 * len(profile))
    values = np.maximum.accumulate(np.interp(fine, np.arange(len(profile)), profile))
    low, high = (fine[np.searchsorted(values, level)] if values[-1] >= level else fine[-1] for level in (0.1, 0.9))
    return float(high - low)
