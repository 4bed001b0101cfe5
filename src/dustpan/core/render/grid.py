"""The absolute grid of blocks, and which region a step reads for a region it makes."""

from __future__ import annotations

from collections.abc import Iterator

from dustpan.core.picture.region import Region, Size, with_margin

BLOCK = 512  # px, side of a block
ALIGN = 8  # px; regions that steps read start on its multiples, so that sliding windows keep their positions

#: Column and row of a block.
BlockIndex = tuple[int, int]


def block_indices(region: Region) -> Iterator[BlockIndex]:
    """Yield the blocks that a region touches, row by row."""
    x0, y0, x1, y1 = region
    for row in range(y0 // BLOCK, -(-y1 // BLOCK)):
        for column in range(x0 // BLOCK, -(-x1 // BLOCK)):
            yield column, row


def block_region(index: BlockIndex, size: Size) -> Region:
    """Return the region of a block of a picture."""
    left, top = index[0] * BLOCK, index[1] * BLOCK
    return left, top, min(left + BLOCK, size[0]), min(top + BLOCK, size[1])


def block_regions(size: Size) -> list[Region]:
    """Return the regions of all blocks of a picture, row by row."""
    return [block_region(index, size) for index in block_indices((0, 0, *size))]


def input_region(region: Region, support: int, size: Size) -> Region:
    """Return what a step reads for a region: its support around it, rounded out to `ALIGN`."""
    x0, y0, x1, y1 = with_margin(region, support, size)
    right, bottom = -(-x1 // ALIGN) * ALIGN, -(-y1 // ALIGN) * ALIGN
    return x0 // ALIGN * ALIGN, y0 // ALIGN * ALIGN, min(right, size[0]), min(bottom, size[1])
