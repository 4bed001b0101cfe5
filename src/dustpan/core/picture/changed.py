"""Few changed pixels of a large picture, kept without a copy of the rest."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.picture.source import Region

Changed = tuple[np.ndarray, np.ndarray]  # flat numbers of pixels (N,), and what they hold (N, 3)


@dataclass(frozen=True, eq=False)
class Patches:
    """Pixels that differ from the picture they lie on.

    size : width and height of that picture, px; index : (N,) int64, row x width + column, rising; values : (N, 3)
    float32 working pixels.
    """

    size: tuple[int, int]
    index: np.ndarray
    values: np.ndarray

    @classmethod
    def gather(cls, size: tuple[int, int], parts: Sequence[Changed]) -> Patches:
        """Return the patches of several parts of a picture that do not overlap."""
        index = np.concatenate([np.zeros(0, np.int64), *(part[0] for part in parts)])
        values = np.concatenate([np.zeros((0, 3), np.float32), *(part[1] for part in parts)])
        order = np.argsort(index)
        return cls(size, index[order], values[order])

    def within(self, region: Region) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return rows and columns in a region, counted from its corner, and values of the pixels that lie there."""
        x0, y0, x1, y1 = region
        width = self.size[0]
        first, last = np.searchsorted(self.index, (y0 * width, y1 * width))
        rows, columns = np.divmod(self.index[first:last], width)
        inside = (columns >= x0) & (columns < x1)
        return rows[inside] - y0, columns[inside] - x0, self.values[first:last][inside]

    def lay_on(self, tile: np.ndarray, region: Region) -> np.ndarray:
        """Return the pixels of a region of the picture below with these on them."""
        rows, columns, values = self.within(region)
        if len(rows) == 0:
            return tile
        laid = tile.copy()
        laid[rows, columns] = values
        return laid

    def halved(self, read: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> Patches:
        """Return the patches of the picture reduced by 2.

        read : gives pixels (N, 3) of the picture below, at rows and columns, in its own size.
        """
        width, height = self.size
        half = -(-width // 2), -(-height // 2)
        rows, columns = np.divmod(self.index, width)
        touched = np.unique(rows // 2 * half[0] + columns // 2)
        top, left = np.divmod(touched, half[0])
        total = np.zeros((len(touched), 3), np.float32)
        for down in (0, 1):
            for across in (0, 1):
                y, x = np.minimum(2 * top + down, height - 1), np.minimum(2 * left + across, width - 1)
                total += self.over(read(y, x), y, x)
        return Patches(half, touched, total * np.float32(0.25))

    def over(self, below: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """Return single pixels (N, 3) of the picture below, with those that are patched replaced."""
        if len(self.index) == 0:
            return below
        index = rows * self.size[0] + columns
        place = np.minimum(np.searchsorted(self.index, index), len(self.index) - 1)
        patched = self.index[place] == index
        return np.where(patched[:, None], self.values[place], below)
