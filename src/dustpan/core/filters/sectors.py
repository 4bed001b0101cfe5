"""What a picture holds where: statistics of its overview in sectors."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.curve import CLIPPED_BLACK, CLIPPED_WHITE
from dustpan.core.picture.region import Size

_SIDE = 64  # px of the full picture, side of a sector
_LEAST_SIDE = 4  # px of the overview


@dataclass(frozen=True, eq=False)
class Sectors:
    """Statistics of sectors of about 64 px of the full picture, rows x columns each.

    Attributes
    ----------
    tone : mean tone.
    unrest : median of the fine contrast, high where texture is everywhere.
    edge : the steepest slope.
    clipped : share of pixels at black or white.
    size : width and height of the picture, px.
    """

    tone: np.ndarray
    unrest: np.ndarray
    edge: np.ndarray
    clipped: np.ndarray
    size: Size

    @classmethod
    def of(cls, overview: np.ndarray, size: Size) -> Sectors:
        """Return the sectors of a reduced picture (h x w x 3 working pixels) whose full size is given."""
        tone = np.clip(tone_of(overview), 0, 1)
        soft = cv2.GaussianBlur(tone, (0, 0), 1.0)
        fine = np.abs(soft - cv2.GaussianBlur(tone, (0, 0), 2.5))
        slope = np.asarray(cv2.magnitude(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)))
        clipped = lost_at_black(overview) | lost_at_white(overview)
        side = max(_LEAST_SIDE, round(_SIDE * overview.shape[1] / size[0]))
        return cls(
            tone=_gather(tone, side, np.mean),
            unrest=_gather(fine, side, np.median),
            edge=_gather(slope, side, np.max),
            clipped=_gather(np.asarray(clipped, np.float32), side, np.mean),
            size=size,
        )

    def point(self, index: int) -> tuple[int, int]:
        """Return (x, y) of the full picture's pixel at the centre of a sector, by its index in reading order."""
        rows, columns = self.tone.shape
        row, column = divmod(int(index), columns)
        return round((column + 0.5) * self.size[0] / columns), round((row + 0.5) * self.size[1] / rows)


def lost_at_black(pixels: np.ndarray) -> np.ndarray:
    """Return where every channel is at black, (h, w) bool."""
    return np.asarray((pixels <= CLIPPED_BLACK).all(axis=2))


def lost_at_white(pixels: np.ndarray) -> np.ndarray:
    """Return where some channel is at white, (h, w) bool."""
    return np.asarray((pixels >= CLIPPED_WHITE).any(axis=2))


def _gather(plane: np.ndarray, side: int, statistic: Callable) -> np.ndarray:
    """Return a statistic over squares of a plane; one square when the plane is smaller."""
    rows, columns = max(1, plane.shape[0] // side), max(1, plane.shape[1] // side)
    cut = plane[: rows * side, : columns * side] if min(plane.shape) >= side else plane
    rows, columns = (rows, columns) if min(plane.shape) >= side else (1, 1)
    squares = cut.reshape(rows, cut.shape[0] // rows, columns, cut.shape[1] // columns).swapaxes(1, 2)
    return statistic(squares.reshape(rows, columns, -1), axis=2)
