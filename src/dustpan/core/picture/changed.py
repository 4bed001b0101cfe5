"""The few pixels in which a picture differs from another, kept without a copy of the rest."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.picture.region import Region, Size

#: Flat indices of pixels (N,), and their new values (N, 3).
Change = tuple[np.ndarray, np.ndarray]


@dataclass(frozen=True, eq=False)
class ChangedPixels:
    """Pixels that differ from the picture below.

    Attributes
    ----------
    size : width and height of that picture, px.
    index : (N,) int64, row * width + column, ascending.
    values : (N, 3) float32 working pixels.
    """

    size: Size
    index: np.ndarray
    values: np.ndarray

    @classmethod
    def gather(cls, size: Size, parts: Sequence[Change]) -> ChangedPixels:
        """Return the changes of several regions that do not overlap."""
        index = np.concatenate([np.zeros(0, np.int64), *(part[0] for part in parts)])
        values = np.concatenate([np.zeros((0, 3), np.float32), *(part[1] for part in parts)])
        order = np.argsort(index)
        return cls(size, index[order], values[order])

    @property
    def nbytes(self) -> int:
        """Bytes of both arrays."""
        return self.index.nbytes + self.values.nbytes

    def within(self, region: Region) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return rows and columns, counted from the region's corner, and values of the pixels inside a region."""
        x0, y0, x1, y1 = region
        width = self.size[0]
        first, last = np.searchsorted(self.index, (y0 * width, y1 * width))
        rows, columns = np.divmod(self.index[first:last], width)
        inside = (columns >= x0) & (columns < x1)
        return rows[inside] - y0, columns[inside] - x0, self.values[first:last][inside]

    def lay_on(self, tile: np.ndarray, region: Region) -> np.ndarray:
        """Return a tile of the picture below with the changed pixels of its region put in."""
        rows, columns, values = self.within(region)
        if len(rows) == 0:
            return tile
        laid = tile.copy()
        laid[rows, columns] = values
        return laid

    def replace_in(self, below: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        """Return single pixels (N, 3) of the picture below with the changed ones among them replaced."""
        if len(self.index) == 0:
            return below
        index = rows * self.size[0] + columns
        position = np.minimum(np.searchsorted(self.index, index), len(self.index) - 1)
        changed = self.index[position] == index
        return np.where(changed[:, None], self.values[position], below)

    def halve(self, read: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> ChangedPixels:
        """Return the changes of the picture reduced by 2.

        Parameters
        ----------
        read : gives pixels (N, 3) of the picture below at rows and columns, at this object's own size.
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
                total += self.replace_in(read(y, x), y, x)
        return ChangedPixels(half, touched, total * np.float32(0.25))
