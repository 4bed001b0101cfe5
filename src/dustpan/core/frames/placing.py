"""Lay a frame over the reference: interpolated to a part of a pixel, without dark rings round stars."""

from __future__ import annotations

import cv2
import numpy as np

_ROOM = np.float32(0.02)  # of the span of the neighbours, by which a value may leave it


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
    back = cv2.WARP_INVERSE_MAP
    border = cv2.BORDER_REFLECT

    def warped(plane: np.ndarray, kernel: int) -> np.ndarray:
        return cv2.warpAffine(plane, matrix, size, flags=kernel | back, borderMode=border)

    planes = []
    for channel in np.moveaxis(light, 2, 0):
        plane = np.ascontiguousarray(channel, np.float32)
        fine = warped(plane, cv2.INTER_LANCZOS4)
        near = np.ones((3, 3), np.uint8)
        low, high = (warped(ends(plane, near), cv2.INTER_NEAREST) for ends in (cv2.erode, cv2.dilate))
        room = _ROOM * (high - low)
        planes.append(np.clip(fine, low - room, high + room))
    placed = np.stack(planes, axis=-1)
    placed[~covered(light.shape[1::-1], matrix, size)] = np.nan
    return placed


def place_channels(light: np.ndarray, matrices: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return a frame whose channels have placements of their own, (channels, 2, 3), NaN where one does not reach."""
    planes = [place(light[..., n : n + 1], matrix, size) for n, matrix in enumerate(matrices)]
    placed = np.concatenate(planes, axis=2)
    placed[np.isnan(placed).any(axis=2)] = np.nan
    return placed


def covered(own: tuple[int, int], matrix: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return (h, w) bool, which pixels of the reference a frame of the size `own` reaches."""
    x, y = np.meshgrid(np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32))
    at_x = matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]
    at_y = matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]
    return (at_x >= 0) & (at_y >= 0) & (at_x <= own[0] - 1) & (at_y <= own[1] - 1)
