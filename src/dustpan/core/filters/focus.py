"""Where a picture is sharp: local sharpness in units of noise, spread over the flat parts of what is in focus."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.filters.planes import guide_values
from dustpan.core.filters.tone import smooth_step

EVIDENCE_SUPPORT = 16  # px that `sharp_evidence` looks around
_OCTAVES = (0.6, 1.2, 2.4, 4.8)  # px, deviations between which details are sorted by size
_NOISE_KEPT = (0.34, 0.14, 0.07)  # part of white noise's deviation that each octave keeps
_SHARP = (0.12, 0.28)  # fine detail as a part of coarse detail, from blurred to sharp
_CLEAR = (6.0, 20.0)  # coarse detail, in units of its noise, from no evidence to full evidence
#: Times the size, and weight, of the distances that evidence is spread over.
_SPREADS = ((1.0, 1.0), (2.0, 0.05), (5.0, 0.003))
_SOFT = 0.015  # variance of colour that still counts as one thing


def sharp_evidence(tone: np.ndarray, sigma: np.ndarray, cell: int, least: float) -> tuple[np.ndarray, np.ndarray]:
    """Return (rows, columns) how sharp each cell of a tile is, 0 to 1, and how sure that is, 0 to 1.

    Parameters
    ----------
    tone, sigma : (h, w) float32 display tone and the deviation of its noise; h and w are multiples of `cell`.
    cell : px.
    least : units of noise that the finest detail of a sharp place has.

    Notes
    -----
    An edge in focus is as high in the finest octave as in a coarser one; blur takes the finest first.
    """
    blurred = [cv2.GaussianBlur(tone, (0, 0), deviation, borderType=cv2.BORDER_REFLECT) for deviation in _OCTAVES]
    noise = _cells(sigma, cell).mean(axis=2)
    expected = np.sqrt(2 * np.log(cell * cell))  # deviations that the largest of so many values lies at
    heights = []
    for fine, coarse, kept in zip(blurred, blurred[1:], _NOISE_KEPT, strict=False):
        most = _cells(np.abs(fine - coarse), cell).max(axis=2)
        heights.append(np.sqrt(np.maximum(most**2 - (expected * kept * noise) ** 2, 0)))
    ratio = heights[0] / np.maximum(heights[2], 1e-4)
    sharp = smooth_step(ratio, *_SHARP) * (heights[0] > 0.3 * least * _NOISE_KEPT[0] * noise)
    return sharp, smooth_step(heights[2] / (_NOISE_KEPT[2] * noise), *_CLEAR)


def _cells(plane: np.ndarray, cell: int) -> np.ndarray:
    rows, columns = plane.shape[0] // cell, plane.shape[1] // cell
    cut = plane[: rows * cell, : columns * cell].reshape(rows, cell, columns, cell)
    return cut.swapaxes(1, 2).reshape(rows, columns, cell * cell)


def spread_evidence(sharp: np.ndarray, sure: np.ndarray, picture: np.ndarray, size: float) -> np.ndarray:
    """Return (rows, columns) shares that are in focus: the evidence spread within what looks alike.

    Parameters
    ----------
    sharp, sure : as of `sharp_evidence`.
    picture : (rows, columns, 3) float32, the picture reduced to the cells.
    size : cells across which evidence is carried.
    """
    total_sharp, weight = np.zeros_like(sharp), np.full_like(sharp, 1e-6)
    for wider, share in _SPREADS:
        radius = max(round(wider * size), 1)
        for plane, total in ((sharp * sure, total_sharp), (sure, weight)):
            total += share * np.maximum(guide_values(picture, plane.astype(np.float32), radius, _SOFT), 0)
    cover = smooth_step(total_sharp / weight, 0.38, 0.62).astype(np.float32)
    return _without_scraps(cover, size)


def _without_scraps(cover: np.ndarray, size: float) -> np.ndarray:
    """Return a cover without islands and holes much smaller than `size`."""
    least = max(0.5 * size * size, 2)
    for turned in (False, True):
        whole = (cover < 0.5 if turned else cover >= 0.5).astype(np.uint8)
        count, labels, facts, _ = cv2.connectedComponentsWithStats(whole, connectivity=4)
        small = [label for label in range(1, count) if facts[label, cv2.CC_STAT_AREA] < least]
        cover = np.where(np.isin(labels, small), np.float32(turned), cover)
    return cv2.GaussianBlur(cover.astype(np.float32), (3, 3), 0.7)
