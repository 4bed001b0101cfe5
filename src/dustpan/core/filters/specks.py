"""Find and mend specks: pixels that stand out from their neighbourhood as no light through a lens does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.planes import length_of
from dustpan.core.filters.speck_peaks import NEAR, Peaks, cut_around
from dustpan.core.filters.speck_shapes import LIKELY, TOUCHED, tell_added, tell_odds
from dustpan.core.kernels.specks import fill_touched, judge_specks, mark_standing, mark_touched
from dustpan.core.picture.region import Margins

RIM = NEAR // 2  # px at a tile's border in which nothing is judged
RING = 3  # px from a speck's centre to the ring it is compared with
REACH = 6  # px searched outward for sound pixels to fill from
_BEARING = 12  # px from a pixel to the peaks that bear on it: 2 touched, 10 over higher ones one after the other
SUPPORT = 32  # px: to these, and 18 of the square around each in which detail is counted

#: Polarities, to be added.
BRIGHT, DARK = 1, 2
LARGE = 3  # px, side of the clusters past which `find_by_ring` is needed
_USUAL = 6.0  # sensitivity at which the odds below hold
_PER_SENSITIVITY = 2.5  # logarithm of the odds that a peak must have more at e times the sensitivity
_TOLD = 0.5  # part of a peak's height that others have added there, from which it is one of theirs
_STRONG = 0.7  # part of its strongest channel, over which a peak's channels are looked at for that
_ALL_CHANNELS = 0.3  # part of its strongest channel that a speck without colour shows in its weakest
_FIRST_LOOK = 0.8  # part of the sensitivity that a pixel must reach to be judged in full


@dataclass(frozen=True, eq=False)
class Specks:
    """Specks of a tile.

    Attributes
    ----------
    points : (n, 2) rows and columns of their middles.
    added : (n, 5, 5, 3), what they have added to the pixels around these.
    """

    points: np.ndarray
    added: np.ndarray

    def marks(self, shape: tuple[int, int]) -> np.ndarray:
        """Return (h, w) bool, true at their middles."""
        marks = np.zeros(shape, np.bool_)
        marks[tuple(self.points.T)] = True
        return marks

    def among(self, chosen: np.ndarray) -> Specks:
        """Return some of them; chosen : (n,) bool."""
        return Specks(self.points[chosen], self.added[chosen])

    def without(self, kept: np.ndarray) -> Specks:
        """Return those whose middles are not among some pixels, (h, w) bool."""
        return self.among(~kept[tuple(self.points.T)])


@dataclass(frozen=True, eq=False)
class JudgedPeaks:
    """What stands out of a tile.

    Attributes
    ----------
    peaks : where, and what they are judged by.
    odds : (n,) how likely each is a speck, as logarithms of odds.
    """

    peaks: Peaks
    odds: np.ndarray

    def chosen(self, sensitivity: float, leaning: float = 0.0) -> Specks:
        """Return those that are taken for specks, and what they have added; settings as for `judge_peaks`."""
        sure = self.odds + leaning > _least_odds(sensitivity)
        peaks = self.peaks.among(sure)
        added = tell_added(peaks)
        apart = _apart(peaks.points, np.abs(added), peaks.tile.shape[:2])
        seen = np.abs(added) > peaks.noise[:, None, None]
        return Specks(peaks.points, np.where(seen, added, 0) * peaks.signs[:, None, None, None]).among(apart)


def judge_peaks(
    tile: np.ndarray,
    *,
    sigma: np.ndarray,
    sensitivity: float,
    polarity: int,
    coloured: bool,
    leaning: float = 0.0,
    margins: Margins = (0, 0, 0, 0),
) -> JudgedPeaks:
    """Return what may be hot (or dead) pixels, and how likely each is.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels.
    sigma : 3 x H x W float32, deviation of the noise in each channel.
    sensitivity : deviations by which a pixel must stand out from its surroundings; smaller finds more, also of what
        looks less like a speck.
    polarity : BRIGHT, DARK or both (their sum).
    coloured : also take specks of one colour alone.
    leaning : added to the odds of each peak, as specks are common or rare in the picture: see `speck_shapes.leaning`.
    margins : px at the left, top, right and bottom that are only there to be looked at, at most `SUPPORT`.

    Returns
    -------
    What stands out; a rim of 4 px has none, and of the margins only what bears on the pixels inside.

    Notes
    -----
    A pixel that is clear of most of the ring at 3 px, in a channel or in the difference of two, is judged by its
    surroundings (`speck_shapes`). A point of light is spread by the lens before it meets the sensor, a hot pixel is not
    (compare van Dokkum 2001, doi 10.1086/323894).
    """
    tile, sigma = (np.require(a, np.float32, ("C", "W")) for a in (tile, sigma))
    standing = standing_out(tile, sigma, np.float32(_FIRST_LOOK * sensitivity), polarity, coloured=coloured)
    rims = [max(margin - _BEARING, RIM) for margin in margins]
    points = _inside(_points(standing), tile.shape, rims)
    signs, noise = standing[tuple(points.T)], sigma[:, *points.T].T
    clear = _clear(cut_around(tile, points, NEAR) * signs[:, None, None, None], noise, sensitivity, coloured)
    peaks = Peaks.at(tile, points[clear], signs[clear], noise[clear])
    return JudgedPeaks(peaks, tell_odds(peaks, least=_least_odds(sensitivity) - leaning))


def _least_odds(sensitivity: float) -> float:
    """Return the logarithm of the odds from which a peak is taken for a speck."""
    return LIKELY + _PER_SENSITIVITY * float(np.log(sensitivity / _USUAL))


def _inside(points: np.ndarray, shape: tuple[int, ...], rims: Sequence[int]) -> np.ndarray:
    """Return the points that are at least so many px from the left, top, right and bottom."""
    left, top, right, bottom = rims
    first, end = np.array([top, left]), np.array([shape[0] - bottom, shape[1] - right])
    return points[((points >= first) & (points < end)).all(axis=1)]


def _apart(points: np.ndarray, added: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Return which points (n,) are specks of their own: one speck, smeared, has several peaks.

    The highest come first; a lower one is no other where these have added about as much to its strong channels.

    Parameters
    ----------
    points : (n, 2) rows and columns, `TOUCHED` px and more from the border.
    added : (n, 5, 5, 3), size of what each has added to its surroundings, if it is one.
    shape : of the tile.
    """
    told, apart, reach = np.zeros((*shape, 3), np.float32), np.zeros(len(points), np.bool_), TOUCHED // 2
    for n in np.lexsort((points[:, 1], points[:, 0], -added.max(axis=(1, 2, 3)))):
        (row, column), own = points[n], added[n, reach, reach]
        if (told[row, column] < _TOLD * own)[own > _STRONG * own.max()].any():
            apart[n] = True
            part = told[row - reach : row + reach + 1, column - reach : column + reach + 1]
            np.maximum(part, added[n], out=part)
    return apart


def _clear(patches: np.ndarray, noise: np.ndarray, sensitivity: float, coloured: bool) -> np.ndarray:
    """Return which peaks stand out of their surroundings in some channel, or in all."""
    middle = patches[:, NEAR // 2, NEAR // 2]
    excess = middle - np.median(patches.reshape(len(patches), NEAR * NEAR, 3), axis=1)
    clear = (excess > sensitivity * noise).any(axis=1)
    return clear if coloured else clear & (excess.min(axis=1) > _ALL_CHANNELS * excess.max(axis=1))


def take_specks(tile: np.ndarray, specks: Specks, *, size: int) -> np.ndarray:
    """Return a tile less what specks have added, to squares of `size` (1 to 5 px) around their middles."""
    if not len(specks.points):
        return tile
    inner = np.abs(np.arange(TOUCHED) - TOUCHED // 2) < size
    added = np.zeros_like(tile)
    reach = TOUCHED // 2
    for (row, column), own in zip(specks.points, specks.added * (inner[:, None] & inner)[..., None], strict=True):
        part = added[row - reach : row + reach + 1, column - reach : column + reach + 1]
        part[:] = np.where(np.abs(own) > np.abs(part), own, part)
    return tile - added


def find_by_ring(
    tile: np.ndarray, *, sigma: np.ndarray, sensitivity: float, polarity: int, coloured: bool, spare_stars: bool
) -> np.ndarray:
    """Mark what stands out from the ring at 3 px around it: larger clusters too, and stars unless they are spared.

    A pixel stands out when it differs from the median of the ring by more than `sensitivity` times the noise *and* the
    ring's own contrast. A point of light has four neighbours that hold at least a third of it in every channel.

    Parameters
    ----------
    tile, sigma, sensitivity, polarity, coloured : as for `judge_peaks`.
    spare_stars : leave points of light that spread into their neighbours as through a lens.

    Returns
    -------
    H x W bool. A rim of 3 px is left unmarked.
    """
    marks = np.zeros(tile.shape[:2], np.bool_)
    tile, sigma = (np.require(a, np.float32, ("C", "W")) for a in (tile, sigma))
    standing = standing_out(tile, sigma, np.float32(_FIRST_LOOK * sensitivity), polarity, coloured=coloured)
    judge_specks(tile, sigma, _points(standing), standing, np.float32(sensitivity), coloured, spare_stars, marks)
    return marks


def standing_out(tile: np.ndarray, sigma: np.ndarray, room: np.float32, polarity: int, *, coloured: bool) -> np.ndarray:
    """Return 1 or -1 where some channel stands out by `room` deviations and is to be judged in full, else 0 (h, w)."""
    planes: list[np.ndarray] = list(cv2.split(tile))
    rooms: list[np.ndarray] = [room * s for s in sigma]
    if coloured:
        planes += [planes[0] - planes[1], planes[2] - planes[1]]
        rooms += [length_of(rooms[0], rooms[1]), length_of(rooms[2], rooms[1])]
    standing = np.zeros(tile.shape[:2], np.float32)
    signs = [np.float32(sign) for bit, sign in ((BRIGHT, 1), (DARK, -1)) if polarity & bit]
    for plane, clear in zip(planes, rooms, strict=True):  # the first channel that stands out sets the sign
        for sign in signs:
            mark_standing(plane, clear, sign, standing)
    return standing


def count_specks(marks: np.ndarray) -> int:
    """Return the number of specks; marks that touch or nearly touch are one."""
    joined = cv2.dilate(marks.view(np.uint8), np.ones((3, 3), np.uint8))
    return cv2.connectedComponents(joined, connectivity=8)[0] - 1


def fill_specks(tile: np.ndarray, marks: np.ndarray, *, sigma: np.ndarray, size: int) -> np.ndarray:
    """Fill the touched pixels around each mark from both sides along the direction that changes least.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels.
    marks : H x W bool.
    sigma : 3 x H x W float32, deviation of the noise in each channel.
    size : side of the largest cluster, 1 to 9 px. The mark may be at its rim, so pixels up to size - 1 away are
        filled, of those only the ones that differ from their surroundings by more than the noise.
    """
    if not marks.any():
        return tile
    mended = tile.copy()
    tile, sigma = (np.require(a, np.float32, ("C", "W")) for a in (tile, sigma))
    touched = marks.copy()
    square = np.ones((2 * size - 1, 2 * size - 1), np.uint8)
    mark_touched(tile, sigma, _points(cv2.dilate(marks.view(np.uint8), square)), touched)
    fill_touched(tile, touched, _points(touched), REACH, mended)
    return mended


def _points(marks: np.ndarray) -> np.ndarray:
    """Return rows and columns (N, 2) of the marked pixels, as the kernels take them."""
    found = cv2.findNonZero(marks.view(np.uint8) if marks.dtype == np.bool_ else marks)
    places = np.zeros((0, 2), np.int64) if found is None else found.reshape(-1, 2)[:, ::-1]
    return np.ascontiguousarray(places, np.int64)
