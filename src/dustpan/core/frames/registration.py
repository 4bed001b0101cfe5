"""How frames lie over one another: a shift, a turn, or an affine map, found from stars or from what daylight shows."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.spatial import cKDTree

from dustpan.core.errors import PictureError
from dustpan.core.frames.daylight import UNLIKE, match_daylight
from dustpan.core.frames.star_matching import LEAST, NEAR, count_matched, match_stars
from dustpan.core.frames.stars import Stars, find_stars

ALIGNMENTS = ("none", "shift", "rotate", "affine")
_ENOUGH = 8  # stars in either frame, from which they are used
_WIDEST = 6.0  # px, full width of most stars


@dataclass(frozen=True, eq=False)
class Look:
    """What a frame is registered by.

    Attributes
    ----------
    tone : (h, w) float32 linear light, without single hot pixels.
    stars : see `Stars`.
    """

    tone: np.ndarray
    stars: Stars

    @classmethod
    def of(cls, light: np.ndarray) -> Look:
        """Return the look of a frame, h x w x channels linear light."""
        tone = np.ascontiguousarray(light.mean(axis=2), np.float32)
        return cls(cv2.medianBlur(tone, 3), find_stars(tone))

    @property
    def starry(self) -> bool:
        """Whether what shines in it are stars, and enough of them; bright things in daylight are wider."""
        return len(self.stars) >= _ENOUGH and float(np.median(self.stars.width)) <= _WIDEST


def unmoved() -> np.ndarray:
    """Return the placement of the reference itself."""
    return np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def register(reference: Look, frame: Look, how: str) -> np.ndarray:
    """Return the (2, 3) matrix that takes places of the reference to those of a frame.

    Parameters
    ----------
    how : one of `ALIGNMENTS`.

    Raises
    ------
    PictureError where they have too little in common.
    """
    if how == "none":
        return unmoved()
    starry = all(look.starry for look in (reference, frame))
    if starry and (found := match_stars(reference.stars, frame.stars, how)) is not None:
        return found
    found = match_daylight(reference.tone, frame.tone, how)
    if starry and count_matched(reference.stars, frame.stars, found) < LEAST:  # what stands still in front of the sky
        raise PictureError(UNLIKE)
    return found


def followed(matrix: np.ndarray, way: tuple[float, float], number: int) -> np.ndarray:
    """Return a placement that follows what moves against the rest.

    Parameters
    ----------
    matrix : of the frame over the reference, by what stands still.
    way : x and y by which the target moves from one frame to the next, px of the reference.
    number : of frames from the reference to this one; below 0 for those before it.
    """
    own = matrix.copy()
    own[:, 2] += matrix[:, :2] @ (np.array(way) * number)
    return own


def channel_placements(reference: Look, light: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """Return (channels, 2, 3) placements, one for each channel of a frame: air and lens shift colours apart.

    A channel in which too few of the reference's stars are found keeps the frame's own placement.

    Parameters
    ----------
    reference : what the frame lies over.
    light : h x w x channels of the frame.
    matrix : of the whole frame.
    """
    found = np.repeat(matrix[None], light.shape[2], axis=0)
    wanted = reference.stars.places @ matrix[:, :2].T + matrix[:, 2]
    for channel in range(light.shape[2] if light.shape[2] > 1 and len(wanted) else 0):
        stars = find_stars(np.ascontiguousarray(light[..., channel], np.float32))
        if len(stars) < _ENOUGH:
            continue
        away, partner = cKDTree(stars.places).query(wanted)
        near = away < NEAR
        if near.sum() >= LEAST:
            found[channel, :, 2] += np.median(stars.places[partner[near]] - wanted[near], axis=0)
    return found
