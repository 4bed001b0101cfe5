"""Stars: points of light that lost their light."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.judge.harms.base import Harm, Pair

STARS = Harm("stars_lost", "stars_lost", 0.05, "{size:.0f} % of the stars lost", 100)

_LEAST, _OF_NOISE = 8 / 255, 6.0  # tone, and deviations of the tone around, by which a star stands out
_SKIRT = 0.3  # least share of a star's height that its four neighbours hold: the lens spreads it
_FAR, _FADED = 4, 0.25  # px from its middle at which a star has at most that share of its height
_KEPT = 0.7  # share of its light that a star must keep
_FEW = 5  # stars, of which no share is told

#: Stars of a patch, and those of them that are lost.
Stars = tuple[int, int]


def measure_stars(pair: Pair) -> Stars:
    """Return how many points of light a patch has, and how many have lost over 30 % of their light."""
    before, after = (tone_of(picture) for picture in pair)
    around = cv2.medianBlur(np.clip(np.rint(before * 255), 0, 255).astype(np.uint8), 2 * _FAR + 1) / np.float32(255)
    excess = before - around
    noise = 1.4826 * float(np.median(np.abs(excess)))
    clear = excess > max(_LEAST, _OF_NOISE * noise)
    if clear.mean() > 0.05:  # texture
        return 0, 0
    peaks = clear & (before >= cv2.dilate(before, np.ones((3, 3), np.uint8)))
    peaks[: _FAR + 1], peaks[-_FAR - 1 :], peaks[:, : _FAR + 1], peaks[:, -_FAR - 1 :] = False, False, False, False
    count = lost = 0
    for y, x in np.argwhere(peaks):
        height = excess[y, x]
        near = np.array([excess[y - 1, x], excess[y + 1, x], excess[y, x - 1], excess[y, x + 1]])
        far = np.array([excess[y - _FAR, x], excess[y + _FAR, x], excess[y, x - _FAR], excess[y, x + _FAR]])
        if near.min() < _SKIRT / 2 * height or near.mean() < _SKIRT * height or far.max() > _FADED * height:
            continue
        window = np.s_[y - 2 : y + 3, x - 2 : x + 3]
        light = excess[window].sum()
        count += 1
        lost += bool((after[window] - around[window]).sum() < _KEPT * light)
    return count, lost


def combine_stars(patches: Sequence[Stars]) -> float | None:
    """Return the share of the stars that are lost, or None where there are hardly any."""
    count, lost = np.sum(patches, axis=0) if len(patches) else (0, 0)
    return float(lost / count) if count >= _FEW else None
