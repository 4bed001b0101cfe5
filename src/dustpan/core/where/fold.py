"""Fold the parts of a Where into one mask."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np

from dustpan.core.document.route import OPERATIONS, Part, Where
from dustpan.core.picture.region import Region, Size, cut_region, with_margin
from dustpan.core.where import part_kinds
from dustpan.core.where.part_kind import MaskContext

#: Gives the working pixels that a Where's parts look at.
Read = Callable[[Region], np.ndarray]

_JOIN: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "add": np.maximum,
    "subtract": lambda mask, cover: mask * (1 - cover),
    "intersect": np.minimum,
}
assert tuple(_JOIN) == OPERATIONS
_TAIL = 16  # px that are blurred beyond a region: the last columns of a blur are rounded otherwise than the rest


def mask_of(
    where: Where, region: Region, size: Size, *, level: int = 0, analyses: Sequence[Any] = (), read: Read | None = None
) -> np.ndarray | float:
    """Return a Where's mask over a region, (h, w) float32, or 1.0 when it is everywhere.

    Parameters
    ----------
    region, size : of the picture reduced by 2 ** level; the feather shrinks with it.
    analyses : what each part knows of the whole picture.
    read : for parts that look at pixels.
    """
    return _mask_over(where, analyses, region, MaskContext(size, level), read)


def _mask_over(
    where: Where, analyses: Sequence[Any], region: Region, context: MaskContext, read: Read | None
) -> np.ndarray | float:
    if where.everywhere:
        return 1.0
    margin = _feather_margin(where, context.level)
    x0, y0, x1, y1 = region
    wide = (x0 - margin, y0 - margin, x1 + margin + (_TAIL if margin else 0), y1 + margin)
    mask = _fold_parts(where, analyses or [None] * len(where.parts), wide, context, read)
    if margin:
        mask = cv2.GaussianBlur(mask, (2 * margin + 1, 2 * margin + 1), max(margin / 2.5, 0.3))
        mask = mask[margin:-margin, margin : margin + x1 - x0]
    return np.ascontiguousarray(1 - mask if where.invert else mask)


def mask_support(where: Where, analyses: Sequence[Any], *, level: int = 0) -> int:
    """Return how far around a region a Where's parts look at pixels, px; 0 when all of them are drawn."""
    reading = [
        mask_support(part.kept, analysis, level=level)
        if part.kept is not None
        else part_kinds()[part.kind].support(part.params, analysis, level)
        for part, analysis in zip(where.parts, analyses or [None] * len(where.parts), strict=True)
        if part.on and part_reads(part)
    ]
    if not reading:
        return 0
    margin = _feather_margin(where, level)
    return max(reading) + margin + (_TAIL if margin else 0)


def part_reads(part: Part) -> bool:
    """Return whether a part looks at the picture; a kept Where does when any of its parts does."""
    if part.kept is not None:
        return any(part_reads(inner) for inner in part.kept.parts)
    return part_kinds()[part.kind].reads(part.params)


def _feather_margin(where: Where, level: int) -> int:
    return int(np.ceil(2 * where.feather / 2**level))


def _fold_parts(
    where: Where, analyses: Sequence[Any], region: Region, context: MaskContext, read: Read | None
) -> np.ndarray:
    """Return the parts joined in order; a first part that does not add starts from everywhere."""
    parts = [(part, analysis) for part, analysis in zip(where.parts, analyses, strict=True) if part.on]
    start = 1.0 if not parts or parts[0][0].op != "add" else 0.0
    mask = np.full((region[3] - region[1], region[2] - region[0]), start, np.float32)
    for part, analysis in parts:
        cover = _cover(part, analysis, region, context, read)
        mask = _JOIN[part.op](mask, 1 - cover if part.invert else cover)
    return mask


def _cover(part: Part, analysis: Any, region: Region, context: MaskContext, read: Read | None) -> np.ndarray:
    kind = part_kinds()[part.kind]
    if part.kept is not None:
        mask = _mask_over(part.kept, analysis, region, context, read)
        return np.broadcast_to(np.float32(mask), (region[3] - region[1], region[2] - region[0])).astype(np.float32)
    if not kind.reads(part.params):
        return kind.cover(None, region, part.params, analysis, context)
    assert read is not None
    inside = with_margin(region, 0, context.size)
    wide = with_margin(inside, kind.support(part.params, analysis, context.level), context.size)
    cover = cut_region(kind.cover(read(wide), wide, part.params, analysis, context), wide, inside)
    left, top, right, bottom = (abs(a - b) for a, b in zip(region, inside, strict=True))
    return np.pad(cover, ((top, bottom), (left, right)), mode="edge")
