"""Lay a frame over the reference: interpolated to a part of a pixel, without dark rings round stars."""

from __future__ import annotations

import cv2
import numpy as np

_ROOM = np.float32(0.02)  # of the span of the neighbours, by which a value may leave it
_BAND = 512  # rows that are worked at once
_SIZE_CHANGE = 0.1  # of a map, over which no lens has made it


def place(light: np.ndarray, matrix: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a frame as it lies over the reference, NaN where it does not reach.

    Interpolated by a Lanczos kernel of 8 px, held within what the 4 pixels around hold: its negative lobes would draw
    dark rings round stars.

    Parameters
    ----------
    light : h x w x channels float32.
    matrix : (2, 3), takes places of the reference to those of the frame.
    size : width and height of the reference.
    """
    if np.array_equal(matrix, [[1, 0, 0], [0, 1, 0]]) and light.shape[1::-1] == size:
        return light
    placed = np.empty((size[1], size[0], light.shape[2]), np.float32)
    for channel in range(light.shape[2]):
        _fill_plane(placed[..., channel], np.ascontiguousarray(light[..., channel], np.float32), matrix)
    _leave_out(placed, light.shape[1::-1], matrix)
    return placed


def _fill_plane(placed: np.ndarray, plane: np.ndarray, matrix: np.ndarray) -> None:
    """Fill a plane of the reference (h, w) with one of a frame; in bands, so that little is held at once."""
    near = np.ones((3, 3), np.uint8)
    lowest, highest = cv2.erode(plane, near), cv2.dilate(plane, near)
    for top in range(0, placed.shape[0], _BAND):
        band = placed[top : top + _BAND]
        below = np.c_[matrix[:, :2], matrix[:, 2] + top * matrix[:, 1]]

        def warped(source: np.ndarray, kernel: int, below=below, size=band.shape[::-1]) -> np.ndarray:
            flags = kernel | cv2.WARP_INVERSE_MAP
            return cv2.warpAffine(source, below, size, flags=flags, borderMode=cv2.BORDER_REFLECT)

        low, high = (warped(ends, cv2.INTER_NEAREST) for ends in (lowest, highest))
        room = _ROOM * (high - low)
        band[:] = np.clip(warped(plane, cv2.INTER_LANCZOS4), low - room, high + room)


def place_channels(light: np.ndarray, matrices: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a frame whose channels have placements of their own, (channels, 2, 3), NaN where one does not reach."""
    planes = [place(light[..., n : n + 1], matrix, size) for n, matrix in enumerate(matrices)]
    placed = np.concatenate(planes, axis=2)
    placed[np.isnan(placed).any(axis=2)] = np.nan
    return placed


def _leave_out(placed: np.ndarray, own: tuple[int, int], matrix: np.ndarray) -> None:
    """Put NaN into the pixels (h x w x channels) of the reference that a frame of the size `own` does not reach."""
    x = np.arange(placed.shape[1])
    for y, row in enumerate(placed):
        at_x, at_y = (line[0] * x + (line[1] * y + line[2]) for line in matrix)
        row[(at_x < 0) | (at_y < 0) | (at_x > own[0] - 1) | (at_y > own[1] - 1)] = np.nan


def is_distorted(matrix: np.ndarray) -> bool:
    """Return whether a map changes sizes by more than a lens does from frame to frame."""
    return abs(np.sqrt(abs(np.linalg.det(matrix[:, :2]))) - 1) > _SIZE_CHANGE
