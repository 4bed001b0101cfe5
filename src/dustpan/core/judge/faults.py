"""Faults of files and sensors that a picture's own pixels tell: compression blocks, bands, softness."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.judge.harms.edges import find_edges
from dustpan.core.noise.model import DISPLAY

_GRID = 8  # px, side of a compression block
_BAND_REACH = 15  # rows on both sides that a row is compared with
_STANDS_OUT = 0.12  # strength from which a grid is found


@dataclass(frozen=True)
class Blocks:
    """A grid of compression blocks.

    Attributes
    ----------
    grid : its corner (x, y), 0 to 7 each, or None when there is none.
    strength : how much larger the steps across the grid are than the others, as a share.
    """

    grid: tuple[int, int] | None
    strength: float


def find_blocks(tone: np.ndarray) -> Blocks:
    """Return the grid of compression blocks in (h, w) tones.

    Notes
    -----
    Steps between neighbours are compared with the mean of the steps beside them, so that edges count little, and
    gathered by their place in a period of 8 (compare Fan and de Queiroz 2003, doi 10.1109/TIP.2002.807361).
    """
    offsets, strengths = [], []
    for plane in (tone, tone.T):
        steps = np.abs(np.diff(plane, axis=1))
        if steps.shape[1] < 4 * _GRID:
            return Blocks(None, 0.0)
        beside = (np.roll(steps, 2, axis=1) + np.roll(steps, -2, axis=1)) / 2
        calm = beside < np.quantile(beside, 0.7)
        excess = np.where(calm, steps, 0)
        sums = np.array([excess[:, p::_GRID].sum() / max(calm[:, p::_GRID].sum(), 1) for p in range(_GRID)])
        most = int(np.argmax(sums))
        rest = float(np.median(np.delete(sums, most)))
        strengths.append(float(sums[most] / max(rest, 1e-9) - 1))
        offsets.append((most + 1) % _GRID)
    strength = min(strengths)
    found = strength > _STANDS_OUT
    return Blocks((offsets[0], offsets[1]) if found else None, max(strength, 0.0) if found else 0.0)


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
