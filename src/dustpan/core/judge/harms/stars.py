"""Stars: points of light that lost their light."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.speck_peaks import Peaks
from dustpan.core.filters.speck_shapes import tell_odds
from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides

STARS = Harm("stars_lost", "stars_lost", 0.1, "{size:.0f} % of the stars lost", 100)

_LEAST, _OF_NOISE = 8 / 255, 6.0  # tone, and deviations of the tone around, by which a star stands out
_SKIRT = 0.3  # least share of a star's height that its four neighbours hold: the lens spreads it
_FAR, _FADED = 4, 0.25  # px from its middle at which a star has at most that share of its height
_LEAST_CHANNEL = 0.25  # of its strongest channel, that a star has in each
_KEPT = 0.7  # share of its light that a star must keep
_CROWDED, _DARK = 0.02, 0.35  # share of a patch over which bright pixels are texture; median tone of a sky at most
_SPECK = 0.0  # logarithm of the odds from which a point is sooner a hot pixel than a star
_FEW = 12  # stars, under which no share is given
_BY_CHANCE = 2  # points of noise that pass for stars that were lost
_DENTS = 0.2  # dark points of a star's shape for each bright one, from which both are clumps of noise
_RING = 5  # px around bright points in which sharpening and compression leave dark ones

#: Stars of a patch, those of them that are lost, and its dark points of the same shape.
Stars = tuple[int, int, int]


def measure_stars(sides: Sides) -> Stars:
    """Return how many points of light a patch has, how many have lost over 30 % of their light, and dark points."""
    points, dents = sides[0].derived(_stars)
    if not len(points):
        return 0, 0, dents
    excess, left = (side.derived(_over_sky) for side in sides)
    lost = np.ones(len(points), bool)
    for reach in (1, 2):  # softened, a star keeps its light but not its height; sharpened, the other way round
        lost &= _light_at(points, left, reach) < _KEPT * _light_at(points, excess, reach)
    return len(points), int(lost.sum()), dents


def _stars(side: Side) -> tuple[np.ndarray, int]:
    """Return (n, 2) rows and columns of the stars of a patch, and how many dark points of their shape it has."""
    shown = side.derived(_shown)
    if min(side.tone.shape) < 4 * _FAR or not shown.any() or np.median(side.tone[shown]) > _DARK:
        return np.empty((0, 2), int), 0
    excess = side.derived(_over_sky)
    bright = _points(side.tone, excess, shown)
    middles = np.zeros(side.tone.shape, np.uint8)
    middles[tuple(bright.T)] = 1
    rings = cv2.dilate(middles, np.ones((2 * _RING + 1, 2 * _RING + 1), np.uint8))
    dark = _points(-side.tone, -excess, shown)
    stars = _without_specks(bright, side, excess, shown)
    # A peak in a dark dent, as compression leaves them, has no light.
    return stars[_light_at(stars, excess, 2) > 0], int((rings[tuple(dark.T)] == 0).sum())


def _shown(side: Side) -> np.ndarray:
    """Return (h, w) bool, what is not blank as a frame is: beside it the texture of a photograph is no night sky."""
    window = np.ones((2 * _FAR + 1, 2 * _FAR + 1), np.uint8)
    return cv2.dilate(side.tone, window) > cv2.erode(side.tone, window)


def _light_at(points: np.ndarray, excess: np.ndarray, reach: int) -> np.ndarray:
    """Return (n,) the light over the sky within so many px of points, in rows and in columns."""
    if not len(points):
        return np.empty(0)
    rows, columns = ((points[:, axis, None, None] + np.arange(-reach, reach + 1)) for axis in (0, 1))
    return excess[rows.swapaxes(1, 2), columns].sum(axis=(1, 2, 3))


def _over_sky(side: Side) -> np.ndarray:
    """Return a patch less the sky around each pixel, which cleaning makes darker where black had cut off its noise."""
    steps = np.clip(np.rint(side.pixels * 255), 0, 255).astype(np.uint8)
    return side.pixels - cv2.medianBlur(steps, 2 * _FAR + 1) / np.float32(255)


def _points(tone: np.ndarray, excess: np.ndarray, shown: np.ndarray) -> np.ndarray:
    """Return (n, 2) rows and columns of the points that stand out of their surroundings as the lens spreads a star."""
    height = tone_of(excess)
    clear = shown & (height > max(_LEAST, _OF_NOISE * _deviation(height[shown])))
    peaks = clear & (tone >= cv2.dilate(tone, np.ones((3, 3), np.uint8)))
    rim = _FAR + 1
    inside = np.zeros_like(peaks)
    inside[rim:-rim, rim:-rim] = True
    points = np.argwhere(peaks & inside)
    if not len(points) or clear[shown].mean() > _CROWDED:
        return points[:0]
    return points[_spread(excess, points)]


def _without_specks(points: np.ndarray, side: Side, excess: np.ndarray, shown: np.ndarray) -> np.ndarray:
    """Return the points that are no hot pixels."""
    if not len(points):
        return points
    noise = np.tile(_deviation(excess[shown]) + 1 / 255, (len(points), 1))
    return points[tell_odds(Peaks.at(side.pixels, points, np.ones(len(points)), noise)) < _SPECK]


def _deviation(values: np.ndarray) -> np.ndarray:
    """Return the deviation of most of the values, that of each channel for n x 3."""
    return 1.4826 * np.median(np.abs(values), axis=0)


def _spread(excess: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Return where light lies round a peak in every channel, and is gone a little farther off."""
    y, x = points.T
    cross = ((-1, 0), (1, 0), (0, -1), (0, 1))
    own = excess[y, x]
    near = np.mean([excess[y + dy, x + dx] for dy, dx in cross], axis=0)
    far = np.max([excess[y + _FAR * dy, x + _FAR * dx].mean(axis=1) for dy, dx in cross], axis=0)
    skirted = (near > _SKIRT * own).all(axis=1) & (own > _LEAST_CHANNEL * own.max(axis=1, keepdims=True)).all(axis=1)
    return skirted & (far < _FADED * own.mean(axis=1))


def combine_stars(patches: Sequence[Stars]) -> float | None:
    """Return the share of the stars that are lost, but for a few by chance.

    None is for hardly any stars, and for clumps of noise.
    """
    count, lost, dents = np.sum(patches, axis=0) if len(patches) else (0, 0, 0)
    if count < _FEW or dents > _DENTS * count:
        return None
    return max(lost - _BY_CHANCE, 0) / int(count)


class StarsLost(Measure):
    """Stars that lost their light."""

    figures: ClassVar = {
        "stars_lost": "share of the points of light in the dark that have lost over 30 % of their light"
    }
    harms = (STARS,)

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_stars(patch.sides)

    def combine(self, found):
        """Return the figures over patches."""
        return {"stars_lost": combine_stars(found)}
