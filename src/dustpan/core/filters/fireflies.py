"""Find and mend fireflies: stray bright pixels of a rendered picture, in linear light."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

from dustpan.core.filters.colour import highest_channel
from dustpan.core.kernels.fireflies import mark_fireflies
from dustpan.core.picture.curve import decode_curve, encode_curve

_RISE = 0.02  # working value by which a neighbour may rise when it takes on a part of a firefly's energy
_REACH = 2.5  # spreads that a pixel may stand over its surroundings, at a strength of 0.5
_LEAST_RANK, _RANK_SPARED = 0.5, 0.3  # of the surroundings compared with, and what sparing highlights adds


def support(radius: int) -> int:
    """Return how far the result looks, px: surroundings, the length of what is spared, spread energy."""
    return 4 * radius + 8


def find_fireflies(
    working: np.ndarray, features: np.ndarray, *, strength: float, radius: int, spare: float, clearer: float = 1.0
) -> tuple[np.ndarray, np.ndarray]:
    """Mark fireflies, and estimate what the pixels should be.

    Parameters
    ----------
    working : h x w x 3 float32.
    features : h x w x k float32, scaled so that a difference of 1 is another surface; k may be 0.
    strength : 0 to 1; more takes smaller ones too.
    radius : px, 1 to 8; what is as large is a highlight.
    spare : 0 to 1; more keeps highlights that are seen in several pixels.
    clearer : factor of how far a pixel has to stand over its surroundings, for pictures whose texture has peaks.

    Returns
    -------
    Marks (h, w) bool, and h x w x 3 light of the surroundings where marked.

    Notes
    -----
    A pixel is compared with a rank of the pixels within the radius, which a disc of that radius fills past the rank
    and a smaller spot does not; in units of the spread below that rank. What is found over a longer stretch than two
    radii, as the glint on a wire, is spared.
    """
    sides = ((radius, radius), (radius, radius))
    working = np.require(working, np.float32, ("C", "W"))
    brightest = _padded(decode_curve(highest_channel(working)), sides, -1)
    described = _padded(features, (*sides, (0, 0)), 0)
    marks, base = np.zeros(working.shape[:2], np.bool_), np.zeros_like(working)
    reach = np.float32(clearer * _REACH * (1 - strength) / max(strength, 1e-6))
    rank = np.float32(_LEAST_RANK + _RANK_SPARED * spare)
    mark_fireflies(brightest, working, described, _disc(radius), radius, rank, reach, marks, base)
    if spare > 0:
        marks &= ~_long(marks, 2 * radius - 1)
    return marks, base


def mend_fireflies(working: np.ndarray, marks: np.ndarray, base: np.ndarray, *, radius: int) -> np.ndarray:
    """Return working pixels whose marked ones have come down, a part of their energy spread over the neighbours.

    As much is spread as does not show: a neighbour rises by 0.02 at most.
    """
    if not marks.any():
        return working
    found = np.nonzero(marks)
    taken = np.zeros_like(working)
    taken[found] = np.maximum(decode_curve(working[found]) - base[found], 0)
    kernel = cv2.getGaussianKernel(2 * radius + 1, radius / 2, cv2.CV_32F)
    spread = cv2.sepFilter2D(taken, -1, kernel, kernel, borderType=cv2.BORDER_CONSTANT)
    beside = np.nonzero(cv2.dilate(marks.view(np.uint8), np.ones((2 * radius + 1,) * 2, np.uint8)) & ~marks)
    mended = working.copy()
    mended[found] = encode_curve(base[found])
    own = working[beside]  # few pixels: the curve is not worked for the others
    light = decode_curve(own)
    room = decode_curve(own + np.float32(_RISE)) - light
    mended[beside] = encode_curve(light + np.minimum(spread[beside], room))
    return mended


def _padded(plane: np.ndarray, sides: tuple, value: float) -> np.ndarray:
    """Return a plane as the kernels take it, with a rim of a value."""
    return np.ascontiguousarray(np.pad(np.asarray(plane, np.float32), sides, constant_values=value))


@cache
def _disc(radius: int) -> np.ndarray:
    """Return (n, 2) offsets of the pixels within a radius, without the middle."""
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    inside = (y * y + x * x <= (radius + 0.5) ** 2) & ((y != 0) | (x != 0))
    return np.ascontiguousarray(np.stack([y[inside], x[inside]], axis=1).astype(np.int64))


def _long(marks: np.ndarray, longest: int) -> np.ndarray:
    """Return the marks of groups that reach over more than `longest` px."""
    if not marks.any():
        return marks
    count, labels, stats, _ = cv2.connectedComponentsWithStats(marks.view(np.uint8), connectivity=8)
    sides = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1) > longest
    sides[0] = False
    return sides[labels] if count > 1 else np.zeros_like(marks)
