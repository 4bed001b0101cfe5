"""Shift and scale of red and blue against green: measured to a fraction of a pixel, and undone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.picture.region import Region, Size

SUPPORT = 16  # px: up to 10 of displacement, 4 of interpolation
_FINENESS = 32  # displacements are rounded to this part of a pixel, which is what the interpolation takes
_SCALES = ((4, 3), (2, 3), (1, 5))  # reduction of the crops, rounds of refinement
_BLOCK = 16  # px of a reduced crop over which channels are matched in brightness
_MATCH = 0.7  # squared correlation from which a block counts
_LIMIT = 5.0  # px
_WORTH_A_LOOK = 0.15  # px
_CLIPPED = 0.012  # working values nearer to black or white are taken for clipped
_COARSE = 4.0  # px of a reduced crop, deviation of the blur that is taken off
_RIM = 4  # px of a crop that are left out
_PARTS = 4  # of each crop, which are compared
_BORNE_OUT = 2.0  # number of parts that must know something of it, those that know less counted in part
_CERTAIN = 300.0  # information from which a measurement counts for more than no displacement
_WEAK = 0.05  # part of that, by which a measurement is held to the one before, and its parts to the whole
_KNOWN = 4.0  # times that, from which no displacement is not even looked back to


@dataclass(frozen=True)
class Shift:
    """Displacement of one channel against green.

    Attributes
    ----------
    x, y : px.
    scale : px outward at the picture's corner.
    """

    x: float = 0.0
    y: float = 0.0
    scale: float = 0.0

    @property
    def size(self) -> float:
        """Root mean square displacement over the picture, px."""
        return float(np.sqrt(self.x**2 + self.y**2 + self.scale**2 / 3))


def displacement(shift: Shift, region: Region, size: Size) -> tuple[np.ndarray, np.ndarray]:
    """Return (h, w) displacements across and down at the pixels of a region of a picture, px, float64."""
    x0, y0, x1, y1 = region
    half = max(np.hypot(*size) / 2, 1e-6)
    across = (np.arange(x0, x1) + 0.5 - size[0] / 2) * (shift.scale / half)
    down = (np.arange(y0, y1) + 0.5 - size[1] / 2) * (shift.scale / half)
    shape = (y1 - y0, x1 - x0)
    return np.broadcast_to(shift.x + across, shape), np.broadcast_to((shift.y + down)[:, None], shape)


def undo_shift(plane: np.ndarray, shift: Shift, region: Region, size: Size) -> np.ndarray:
    """Return a channel (h, w) moved back over green, by Lanczos interpolation."""
    across, down = (np.rint(d * _FINENESS) / _FINENESS for d in displacement(shift, region, size))
    height, width = plane.shape
    columns = (np.arange(width) + across).astype(np.float32)
    rows = (np.arange(height)[:, None] + down).astype(np.float32)
    return cv2.remap(plane, columns, rows, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)


def measure_shift(
    crops: Sequence[np.ndarray], regions: Sequence[Region], size: Size, channel: int
) -> tuple[Shift, float]:
    """Return the displacement of a channel (0 red, 2 blue) against green, and its error, px.

    Parameters
    ----------
    crops : h x w x 3, parts of the picture at full size.
    regions : where they lie.

    Notes
    -----
    Both channels are brought to one contrast block by block, then the three numbers are refined by least squares on
    the slopes of green, from reduced crops to full ones (compare Lucas and Kanade 1981). Blocks in which the
    channels do not show the same thing do not count. The error is what separate parts of the picture disagree by, and
    infinite where hardly more than one of them knows anything. A displacement that reduced crops do not show is not
    looked for further.
    """
    shift, parts, known = Shift(), np.zeros((_PARTS, 3)), np.zeros(_PARTS)
    for reduction, rounds in _SCALES:
        if reduction == 1 and shift.size < _WORTH_A_LOOK:
            break
        prepared = [_reduce(crop, reduction) for crop in crops]
        for _ in range(rounds):
            shift, parts, known = _refine(prepared, regions, size, channel, shift, reduction)
    if known.sum() ** 2 < _BORNE_OUT * (known**2).sum():
        return shift, np.inf
    spread = parts.std(axis=0, ddof=1) / np.sqrt(_PARTS)
    return shift, Shift(*(float(v) for v in spread)).size


def _reduce(crop: np.ndarray, reduction: int) -> np.ndarray:
    height, width = (max(n // reduction, 1) for n in crop.shape[:2])
    whole = crop[: height * reduction, : width * reduction]
    small = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA) if reduction > 1 else whole
    return cv2.GaussianBlur(small, (0, 0), 0.8, borderType=cv2.BORDER_REFLECT)


def _refine(
    crops: Sequence[np.ndarray], regions: Sequence[Region], size: Size, channel: int, shift: Shift, reduction: int
) -> tuple[Shift, np.ndarray, np.ndarray]:
    """Return the displacement after one round of least squares, that of some parts of the picture, what each knows."""
    normal, right = np.zeros((_PARTS, 3, 3)), np.zeros((_PARTS, 3))
    for crop, region in zip(crops, regions, strict=True):
        if min(crop.shape[:2]) >= 3 * _BLOCK:
            slopes, rest, weight = _slopes(crop, region, size, channel, shift, reduction)
            middle = rest.shape[0] // 2, rest.shape[1] // 2
            for part, (rows, columns) in enumerate(_quarters(*middle)):
                own = slopes[:, rows, columns].reshape(3, -1)
                weighed = own * weight[rows, columns].ravel()
                normal[part] += weighed @ own.T
                right[part] += weighed @ rest[rows, columns].ravel()
    held = np.diag(_CERTAIN * np.array([1.0, 1.0, 0.3]))
    before = np.array([shift.x, shift.y, shift.scale])
    # What is left is moved less shift times slope: the shift grows by what the rest asks for, and where hardly anything
    # is known it goes back to none, whatever coarser crops said.
    towards = held @ (before / reduction)
    total = normal.sum(axis=0)
    free = np.diagonal(total) > _KNOWN * np.diagonal(held)
    towards = towards * ~free
    weak = held * np.where(free, _WEAK, 1)  # what edges of one direction leave open stays as it is
    step = np.linalg.solve(total + weak, right.sum(axis=0) + towards) * reduction
    own = np.linalg.solve(normal + weak / _PARTS, (right + towards / _PARTS)[..., None])[..., 0] * reduction
    values = np.clip(before - step, -_LIMIT, _LIMIT)
    return Shift(*(float(v) for v in values)), before - own, normal[:, 0, 0] + normal[:, 1, 1]


def _quarters(row: int, column: int) -> list[tuple[slice, slice]]:
    """Return the four parts of a crop."""
    across = slice(None, column), slice(column, None)
    return [(rows, columns) for rows in (slice(None, row), slice(row, None)) for columns in across]


def _slopes(
    crop: np.ndarray, region: Region, size: Size, channel: int, shift: Shift, reduction: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return (3, h, w) change of a channel with x, y and scale; (h, w) what is left to green; (h, w) weights."""
    height, width = crop.shape[:2]
    half = max(np.hypot(*size) / 2, 1e-6)
    columns = (region[0] + (np.arange(width) + 0.5) * reduction - size[0] / 2) / half
    rows = (region[1] + (np.arange(height)[:, None] + 0.5) * reduction - size[1] / 2) / half
    across, down = ((v + d * shift.scale) / reduction for v, d in ((shift.x, columns), (shift.y, rows)))
    moved = cv2.remap(
        np.ascontiguousarray(crop[..., channel]),
        np.broadcast_to(np.arange(width) + across, (height, width)).astype(np.float32),
        np.broadcast_to(np.arange(height)[:, None] + down, (height, width)).astype(np.float32),
        cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )
    green, moved = (_detail(plane) for plane in (np.ascontiguousarray(crop[..., 1]), moved))
    gain, rest, weight = _match(green, moved)
    slope_x = gain * cv2.Scharr(green, cv2.CV_32F, 1, 0, scale=1 / 32)
    slope_y = gain * cv2.Scharr(green, cv2.CV_32F, 0, 1, scale=1 / 32)
    inner = (slice(_RIM, -_RIM), slice(_RIM, -_RIM))
    outward = slope_x * columns.astype(np.float32) + slope_y * rows.astype(np.float32)
    slopes = np.stack([slope_x, slope_y, outward])
    sound = np.all((crop > _CLIPPED) & (crop < 1 - _CLIPPED), axis=2).astype(np.uint8)
    weight = weight * cv2.erode(sound, np.ones((5, 5), np.uint8))
    return slopes[:, *inner], rest[inner], weight[inner]


def _detail(plane: np.ndarray) -> np.ndarray:
    """Return what is finer than a few pixels: the slope of a sky shows no shift."""
    return plane - cv2.GaussianBlur(plane, (0, 0), _COARSE, borderType=cv2.BORDER_REFLECT)


def _match(green: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the gain from green to another channel around each pixel, what is left between them, and its weight."""

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.blur(plane, (_BLOCK, _BLOCK), borderType=cv2.BORDER_REFLECT)

    green_mean, other_mean = mean(green), mean(other)
    own = np.maximum(mean(green * green) - green_mean**2, 0) + np.float32(1e-7)
    both = mean(green * other) - green_mean * other_mean
    its = np.maximum(mean(other * other) - other_mean**2, 0) + np.float32(1e-7)
    gain = both / own
    rest = other - other_mean - gain * (green - green_mean)
    alike = both * both / (own * its)
    # Where they show the same thing, in inverse to what is left: noise and true colour.
    weight = np.maximum(alike - _MATCH, 0) / (np.maximum(its - gain * both, 0) + np.float32(1e-5))
    return gain, rest, weight
