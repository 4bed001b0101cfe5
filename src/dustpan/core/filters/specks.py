"""Find and mend specks: pixels that stand out from their neighbourhood as no light through a lens does."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.kernels.specks import fill_touched, judge_specks, mark_in_mosaic, mark_standing, mark_touched

RING = 3  # px from a speck's centre to the ring it is compared with
REACH = 6  # px searched outward for sound pixels to fill from
SUPPORT = 24  # px: 3 of the ring, up to 8 of the cluster, 6 searched, 3 of the ring there

#: Polarities, to be added.
BRIGHT, DARK = 1, 2
_FIRST_LOOK = 0.8  # part of the sensitivity that a pixel must reach to be judged in full


def find_specks(
    tile: np.ndarray, *, sigma: np.ndarray, sensitivity: float, polarity: int, coloured: bool, spare_stars: bool
) -> np.ndarray:
    """Mark the centres of hot (or dead) pixels.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels.
    sigma : H x W x 3 float32, deviation of the noise in each channel.
    sensitivity : deviations by which a pixel must stand out from its ring; smaller finds more.
    polarity : BRIGHT, DARK or both (their sum).
    coloured : also judge by the differences between channels, where texture shows little and a hot pixel of a
        mosaic much, and take specks of one colour alone.
    spare_stars : leave points of light that spread into their neighbours as through a lens.

    Returns
    -------
    H x W bool. A rim of 3 px is left unmarked.

    Notes
    -----
    A pixel stands out when it differs from the median of the ring at 3 px by more than `sensitivity` times the
    noise *and* the ring's own contrast. A point of light is spread by the lens before it meets the sensor, so its
    four neighbours hold at least a third of it in every channel; a hot pixel has no such skirt in at least one
    channel, also after the mosaic is interpolated (compare van Dokkum 2001, doi 10.1086/323894).
    """
    marks = np.zeros(tile.shape[:2], np.bool_)
    tile, sigma = (np.require(a, np.float32, ("C", "W")) for a in (tile, sigma))
    standing = _standing_out(tile, sigma, np.float32(_FIRST_LOOK * sensitivity), polarity, coloured=coloured)
    judge_specks(tile, sigma, _points(standing), standing, np.float32(sensitivity), coloured, spare_stars, marks)
    return marks


def _standing_out(
    tile: np.ndarray, sigma: np.ndarray, room: np.float32, polarity: int, *, coloured: bool
) -> np.ndarray:
    """Return 1 or -1 where some channel stands out by `room` deviations and is to be judged in full, else 0."""
    planes: list[np.ndarray] = list(cv2.split(tile))
    rooms: list[np.ndarray] = [room * s for s in cv2.split(sigma)]
    if coloured:
        planes += [planes[0] - planes[1], planes[2] - planes[1]]
        rooms += [cv2.magnitude(rooms[0], rooms[1]), cv2.magnitude(rooms[2], rooms[1])]
    standing = np.zeros(tile.shape[:2], np.float32)
    signs = [np.float32(sign) for bit, sign in ((BRIGHT, 1), (DARK, -1)) if polarity & bit]
    for plane, clear in zip(planes, rooms, strict=True):  # the first channel that stands out sets the sign
        for sign in signs:
            mark_standing(plane, clear, sign, standing)
    return standing


def mend_mosaic(
    mosaic: np.ndarray, colours: np.ndarray, *, sigma: np.ndarray, sensitivity: float, polarity: int, spare_stars: bool
) -> tuple[np.ndarray, np.ndarray]:
    """Mark the hot sites of a sensor's mosaic, and fill them.

    Before interpolation a hot pixel is one site, so it is filled by the median of the same-colour sites within 3 px. A
    rim of 3 px is left out.

    Parameters
    ----------
    mosaic : (H, W) float32 light.
    colours : (H, W) uint8, colour of each site.
    sigma : (H, W) float32, deviation of the noise.
    sensitivity, polarity, spare_stars : as for `find_specks`.

    Returns
    -------
    Marks (H, W) bool, and the mosaic with the marked sites filled.
    """
    marks = np.zeros(mosaic.shape, np.bool_)
    plane, noise = (np.require(a, np.float32, ("C", "W")) for a in (mosaic, sigma))
    filled = plane.copy()
    sites = np.require(colours, np.uint8, ("C", "W"))
    mark_in_mosaic(plane, sites, noise, np.float32(sensitivity), polarity, spare_stars, marks, filled)
    return marks, filled


def count_specks(marks: np.ndarray) -> int:
    """Return the number of specks; marks that touch or nearly touch are one."""
    joined = cv2.dilate(marks.view(np.uint8), np.ones((3, 3), np.uint8))
    return cv2.connectedComponents(joined, connectivity=8)[0] - 1


def mend_specks(tile: np.ndarray, marks: np.ndarray, *, sigma: np.ndarray, size: int) -> np.ndarray:
    """Fill the touched pixels around each mark from both sides along the direction that changes least.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels.
    marks : H x W bool.
    sigma : H x W x 3 float32, deviation of the noise in each channel.
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
    return np.ascontiguousarray(np.argwhere(marks))
