"""A picture reduced by powers of two."""

from __future__ import annotations

import threading

import cv2
import numpy as np

from dustpan.core.picture.region import Size
from dustpan.core.picture.working import to_working
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import run_shared

_BAND = 256  # rows reduced at a time, so that little memory is needed beside the result


class Pyramid:
    """The area means of a picture by 2, 4, 8 and so on, each computed when it is first asked for.

    Parameters
    ----------
    pixels : H x W x 1 or 3, native.
    linear : whether they are linear light.
    pool : threads that help.
    """

    def __init__(self, pixels: np.ndarray, *, linear: bool = False, pool: Pool | None = None):
        self._pixels, self._linear, self._pool = pixels, linear, pool
        self._levels: list[np.ndarray] = []
        self._lock = threading.Lock()

    def at(self, level: int) -> np.ndarray:
        """Return the working pixels reduced by 2 ** level, level at least 1; read-only."""
        with self._lock:
            while len(self._levels) < level:
                self._levels.append(self._halve(len(self._levels)))
            return self._levels[level - 1]

    def _halve(self, level: int) -> np.ndarray:
        height, width = self._levels[level - 1].shape[:2] if level else self._pixels.shape[:2]
        reduced = np.empty((-(-height // 2), -(-width // 2), 3), np.float32)

        def reduce_band(top: int) -> None:
            bottom = min(top + _BAND, height)
            if level == 0:
                band = to_working(self._pixels[top:bottom], linear=self._linear)
            else:
                band = self._levels[level - 1][top:bottom]
            reduced[top // 2 : -(-bottom // 2)] = halve_picture(band)

        run_shared(reduce_band, range(0, height, _BAND), self._pool)
        reduced.flags.writeable = False
        return reduced


def size_at(size: Size, level: int) -> Size:
    """Return the size of a picture reduced by 2 ** level, rounded up."""
    return -(-size[0] >> level), -(-size[1] >> level)


def level_under(size: Size, pixels: int) -> int:
    """Return the lowest level at which a picture has at most so many pixels."""
    level = 0
    while np.prod(size_at(size, level)) > pixels:
        level += 1
    return level


def halve_picture(pixels: np.ndarray) -> np.ndarray:
    """Return the area mean of 2 x 2 pixels; an odd last row or column is repeated first."""
    height, width = pixels.shape[:2]
    if height % 2 or width % 2:
        pixels = cv2.copyMakeBorder(pixels, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE)
    return cv2.resize(pixels, (-(-width // 2), -(-height // 2)), interpolation=cv2.INTER_AREA)


def reduce_picture(pixels: np.ndarray, level: int, *, check: Check = no_check) -> np.ndarray:
    """Return the area mean by 2 ** level."""
    for _ in range(level):
        check()
        pixels = halve_picture(pixels)
    return pixels
