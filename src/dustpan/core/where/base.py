"""What a kind of mask part is, and how parts fold into one mask."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.document.route import Where
from dustpan.core.filters.planes import Region

MAX_FEATHER = 100.0  # px


class PartKind:
    """Base of every kind of mask part: words, settings and a pure function of place."""

    kind: ClassVar[str]
    label: ClassVar[str]
    help: ClassVar[str]
    params_type: ClassVar[type[Params]]

    def cover(self, params: Params, region: Region, size: tuple[int, int]) -> np.ndarray:
        """Return (h, w) float32 shares, 0 outside to 1 inside, for a region of a picture of `size`."""
        raise NotImplementedError


@dataclass(frozen=True)
class Part:
    """One part of a Where: its kind and settings, and how it joins those before it."""

    id: str
    kind: PartKind
    params: Params
    op: str = "add"  # add, subtract, intersect
    invert: bool = False
    on: bool = True


OPS: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "add": np.maximum,
    "subtract": lambda mask, cover: mask * (1 - cover),
    "intersect": np.minimum,
}


def mask_of(where: Where, region: Region, size: tuple[int, int], *, level: int = 0) -> np.ndarray | float:
    """Return a Where's shares over a region, (h, w) float32, or 1.0 when it is everywhere.

    level : the picture is reduced by 2 ** level, and the feather with it.
    """
    if where.everywhere:
        return 1.0
    margin = int(np.ceil(2 * where.feather / 2**level))
    x0, y0, x1, y1 = region
    wide = (x0 - margin, y0 - margin, x1 + margin, y1 + margin)
    mask = _fold(where, wide, size)
    if margin:
        mask = cv2.GaussianBlur(mask, (2 * margin + 1, 2 * margin + 1), max(margin / 2.5, 0.3))
        mask = mask[margin:-margin, margin:-margin]
    return np.ascontiguousarray(1 - mask if where.invert else mask)


def _fold(where: Where, region: Region, size: tuple[int, int]) -> np.ndarray:
    parts = [part for part in where.parts if part.on]
    shape = (region[3] - region[1], region[2] - region[0])
    start = 1.0 if not parts or parts[0].op != "add" else 0.0
    mask = np.full(shape, start, np.float32)
    for part in parts:
        cover = part.kind.cover(part.params, region, size)
        mask = OPS[part.op](mask, 1 - cover if part.invert else cover)
    return mask
