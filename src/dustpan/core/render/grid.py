"""The absolute grid of blocks, and which region a step reads for a region it makes."""

from __future__ import annotations

from collections.abc import Iterator

from dustpan.core.picture.region import Region, Size, with_margin

BLOCK = 512  # px, side of a block
LARGE = 1024  # px, side of the blocks of a whole picture: what steps read around them is a smaller part
_MANY = 8  # large blocks that a picture has at least before they are used: threads are to end together
ALIGN = 8  # px; regions that steps read start on its multiples, so that sliding windows keep their positions

#: Column and row of a block.
BlockIndex = tuple[int, int]


def block_indices(region: Region, side: int = BLOCK) -> Iterator[BlockIndex]:
    """Yield the blocks that a region touches, row by row."""
    x0, y0, x1, y1 = region
    for row in range(y0 // side, -(-y1 // side)):
        for column in range(x0 // side, -(-x1 // side)):
            yield column, row


def block_region(index: BlockIndex, size: Size, side: int = BLOCK) -> Region:
    """Return the region of a block of a picture."""
    left, top = index[0] * side, index[1] * side
    return left, top, min(left + side, size[0]), min(top + side, size[1])


def block_regions(size: Size, side: int = BLOCK) -> list[Region]:
    """Return the regions of all blocks of a picture, row by row."""
    return [block_region(index, size, side) for index in block_indices((0, 0, *size), side)]


def side_for_all(size: Size) -> int:
    """Return the side of the blocks in which all of a picture is worked, px."""
    return LARGE if size[0] * size[1] >= _MANY * LARGE**2 else BLOCK


def input_region(region: Region, support: int, size: Size) -> Region:
    """Return what a step reads for a region: its support around it, rounded out to `ALIGN`."""
    x0, y0, x1, y1 = with_margin(region, support, size)
    right, bottom = -(-x1 // ALIGN) * ALIGN, -(-y1 // ALIGN) * ALIGN
    return x0 // ALIGN * ALIGN, y0 // ALIGN * ALIGN, min(right, size[0]), min(bottom, size[1])
