"""Rectangles of a picture, in pixels and relative to its size."""

from __future__ import annotations

import numpy as np

Region = tuple[int, int, int, int]  # x0, y0, x1, y1 in pixels
Extent = tuple[float, float, float, float]  # x0, y0, x1, y1 as parts of the picture's width and height
Size = tuple[int, int]  # width, height in pixels
Margins = tuple[int, int, int, int]  # at the left, top, right and bottom, in pixels
#: Whether the picture ends at a region's left, top, right and lower side.
Ends = tuple[bool, bool, bool, bool]

WHOLE: Extent = (0.0, 0.0, 1.0, 1.0)
CENTRE: Extent = (0.5, 0.5, 0.5, 0.5)  # the picture's middle place


def extent_of(region: Region, size: Size) -> Extent:
    """Return a region as parts of a picture's width and height."""
    x0, y0, x1, y1 = region
    return x0 / size[0], y0 / size[1], x1 / size[0], y1 / size[1]


def moved(region: Region, by: Region) -> Region:
    """Return a region counted from the corner of another as a region of the picture."""
    return region[0] + by[0], region[1] + by[1], region[2] + by[0], region[3] + by[1]


def with_margin(region: Region, margin: int, size: Size) -> Region:
    """Return a region with a margin around it, as far as the picture goes."""
    x0, y0, x1, y1 = region
    return max(x0 - margin, 0), max(y0 - margin, 0), min(x1 + margin, size[0]), min(y1 + margin, size[1])


def margins_of(wide: Region, margin: int, size: Size) -> Margins:
    """Return the margins that a region made by `with_margin` has at least: none at the picture's border."""
    left, top, right, bottom = (
        margin * cut for cut in (wide[0] > 0, wide[1] > 0, wide[2] < size[0], wide[3] < size[1])
    )
    return left, top, right, bottom


def mirrored(start: int, end: int, count: int) -> np.ndarray:
    """Return which of `count` rows stand at positions from start to end, mirrored about the first and the last."""
    period = max(2 * (count - 1), 1)
    at = np.arange(start, end) % period
    return np.minimum(at, period - at) if count > 1 else np.zeros_like(at)


def region_around(x: float, y: float, size: Size, *, within: Size, step: int) -> Region:
    """Return a region of about `size` around a point, inside a picture, starting on a multiple of `step` px."""
    width, height = min(size[0], within[0]), min(size[1], within[1])
    left = min(max(round(x - width / 2), 0), within[0] - width) // step * step
    top = min(max(round(y - height / 2), 0), within[1] - height) // step * step
    return left, top, left + width, top + height


def cut_region(tile: np.ndarray, tile_region: Region, region: Region) -> np.ndarray:
    """Return the part of a tile that covers a region inside the tile's own."""
    left, top = region[0] - tile_region[0], region[1] - tile_region[1]
    return tile[top : top + region[3] - region[1], left : left + region[2] - region[0]]
