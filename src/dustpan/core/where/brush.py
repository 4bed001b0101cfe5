"""A brush: strokes drawn by hand, kept as they were drawn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from dustpan.core.document.forms import STROKES, Stroke
from dustpan.core.document.params import Params, param
from dustpan.core.kernels.strokes import paint_stroke
from dustpan.core.picture.region import Region, Size
from dustpan.core.where.part_kind import DrawnKind, pull
from dustpan.core.work.store import Store

_KEPT = 64 << 20  # bytes of regions whose strokes are kept while a next one is drawn
_LONGEST = 4.0  # times the radius, of the lines that a stroke is painted in
_LEAST_RADIUS = 0.15  # of the brush, at no pressure


@dataclass(frozen=True)
class BrushParams(Params):
    """Settings of a brush."""

    strokes: tuple[Stroke, ...] = param("Strokes", (), "What was painted.", form=STROKES, widget="strokes")
    pull: float = pull()


class Brush(DrawnKind):
    """Cover what was painted."""

    kind = "brush"
    order = 30
    label = "Brush"
    help = "Painted on the picture by hand; strokes add or erase."
    params_type = BrushParams

    def draw(self, region, params, size):
        """Return shares: strokes laid over one another in their order."""
        return paint_strokes(params.strokes, region, size).copy()


def paint_strokes(strokes: tuple[Stroke, ...], region: Region, size: Size) -> np.ndarray:
    """Return (h, w) float32 cover of strokes over a region; the strokes before the last are kept for the next call."""
    near = tuple(stroke for stroke in strokes if _touches(stroke, region, size))
    if not near:
        return np.zeros((region[3] - region[1], region[2] - region[0]), np.float32)
    key = near[:-1], region, size
    before = _before.get_or_make(key, partial(_painted, *key))
    return lay_stroke(before, near[-1], region, size)


_before = Store(_KEPT, rank=1)


def _painted(strokes: tuple[Stroke, ...], region: Region, size: Size) -> np.ndarray:
    cover = np.zeros((region[3] - region[1], region[2] - region[0]), np.float32)
    for stroke in strokes:
        cover = lay_stroke(cover, stroke, region, size)
    return cover


def lay_stroke(cover: np.ndarray, stroke: Stroke, region: Region, size: Size) -> np.ndarray:
    """Return a cover of a region with one stroke more."""
    own = np.zeros_like(cover)
    paint_stroke(_in_pixels(stroke, size), float(stroke.softness), region[0], region[1], own)
    own *= np.float32(stroke.opacity)
    return cover * (1 - own) if stroke.mode == "erase" else cover + (1 - cover) * own


def _in_pixels(stroke: Stroke, size: Size) -> np.ndarray:
    points = np.array(stroke.points, np.float64)
    radius = stroke.size * max(size) / 2
    points = np.column_stack([points[:, :2] * size, radius * np.maximum(points[:, 2], _LEAST_RADIUS)])
    return np.ascontiguousarray(_divided(points, max(_LONGEST * radius, 8.0)))


def _divided(points: np.ndarray, longest: float) -> np.ndarray:
    """Return points with others between those that are far apart: a long slanted line has a large bounding box."""
    if len(points) < 2:
        return points
    lengths = np.hypot(*np.diff(points[:, :2], axis=0).T)
    counts = np.maximum(np.ceil(lengths / longest).astype(int), 1)
    parts = np.concatenate([n + np.arange(count) / count for n, count in enumerate(counts)])
    at = np.append(parts, len(points) - 1)
    return np.column_stack([np.interp(at, np.arange(len(points)), column) for column in points.T])


def _touches(stroke: Stroke, region: Region, size: Size) -> bool:
    low_x, low_y, high_x, high_y = stroke.bounds
    reach = stroke.size * max(size) / 2 + 2
    return (
        low_x * size[0] - reach < region[2]
        and high_x * size[0] + reach > region[0]
        and low_y * size[1] - reach < region[3]
        and high_y * size[1] + reach > region[1]
    )


KIND = Brush()
