"""Detect how a picture was compressed in 8 x 8 blocks: the position of their grid and the quantisation tables.

If a picture was cropped or saved again after its compression, its file does not say so, but its block coefficients
still cluster at multiples of the table entries.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.dct import block_transform, halve

SIDE = 8  # px, side of a compression block
_STANDS_OUT = 0.12  # strength from which a grid is found
_SEARCHED = 1500  # blocks that every position of the grid is tried on
_CROPS_SEARCHED = 6  # crops that these are taken from
_TRIED = 6000  # blocks that qualities are tried on
_LOW = np.add.outer(np.arange(SIDE), np.arange(SIDE)) < 6  # frequencies whose coefficients are tried
_LOW[0, 0] = False
_QUALITIES = range(4, 91)
_COARSE = 6.0  # 8-bit steps under this are not looked at: noise hides them
_SURE, _CLEAR = 8.0, 0.35  # deviations and mean cosine from which coefficients lie at multiples of a step
_LEAST_USED = 60  # coefficients
#: RGB to luminance and two colour differences, rows; the standard's own matrix (ITU-T T.871).
LUMA_CHROMA = np.array(
    [[0.299, 0.587, 0.114], [-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]], dtype=np.float32
)
RGB = np.linalg.inv(LUMA_CHROMA.astype(np.float64)).astype(np.float32)
#: Steps at quality 50 that the standard gives as examples (ITU-T T.81, annex K.1).
_LUMINANCE = np.array(
    [
        [16, 11, 10, 16, 24, 40, 51, 61],
        [12, 12, 14, 19, 26, 58, 60, 55],
        [14, 13, 16, 24, 40, 57, 69, 56],
        [14, 17, 22, 29, 51, 87, 80, 62],
        [18, 22, 37, 56, 68, 109, 103, 77],
        [24, 35, 55, 64, 81, 104, 113, 92],
        [49, 64, 78, 87, 103, 121, 120, 101],
        [72, 92, 95, 98, 112, 100, 103, 99],
    ],
    np.float32,
)
_CHROMA = np.full((SIDE, SIDE), 99, np.float32)
_CHROMA[:4, :4] = [[17, 18, 24, 47], [18, 21, 26, 66], [24, 26, 56, 99], [47, 66, 99, 99]]
#: A plane of tones (0 to 1) and the point of the picture that it begins at.
Crop = tuple[np.ndarray, tuple[int, int]]


@dataclass(frozen=True)
class Grid:
    """A grid of compression blocks.

    Attributes
    ----------
    grid : its corner (x, y), 0 to 7 each, or None when there is none.
    strength : how much larger the jumps across the grid are than between other pixels, as a share.
    """

    grid: tuple[int, int] | None
    strength: float


@dataclass(frozen=True, eq=False)
class Tables:
    """The quantisation tables that a picture was compressed with.

    Attributes
    ----------
    luminance, chroma : (8, 8) in 8-bit values, rows are vertical frequencies.
    corner : (x, y) of the first corner of the grid, 0 to 7, or 0 to 15 if the file says that colour has half the size.
    from_file : whether they were read from the file; else they were detected.
    """

    luminance: np.ndarray
    chroma: np.ndarray
    corner: tuple[int, int]
    from_file: bool = False

    @property
    def coarseness(self) -> float:
        """Mean entry of the nine lowest frequencies, in 8-bit values."""
        return float(self.luminance[:3, :3].mean())


def standard_tables(quality: int) -> tuple[np.ndarray, np.ndarray]:
    """Return the luminance and chroma tables that most programs use for a quality of 1 to 100."""
    factor = 5000 // quality if quality < 50 else 200 - 2 * quality
    scaled = [np.clip(np.floor((table * factor + 50) / 100), 1, 255) for table in (_LUMINANCE, _CHROMA)]
    return scaled[0].astype(np.float32), scaled[1].astype(np.float32)


def find_grid(tone: np.ndarray) -> Grid:
    """Return the grid of compression blocks in (h, w) tones.

    Notes
    -----
    Differences between neighbours are compared with the mean of the differences beside them, so that edges count
    little, and averaged by their position in a period of 8 (compare Fan and de Queiroz 2003, doi
    10.1109/TIP.2002.807361).
    """
    offsets, strengths = [], []
    for plane in (tone, tone.T):
        jumps = np.abs(np.diff(plane, axis=1))
        if jumps.shape[1] < 4 * SIDE:
            return Grid(None, 0.0)
        beside = (np.roll(jumps, 2, axis=1) + np.roll(jumps, -2, axis=1)) / 2
        calm = beside < np.quantile(beside, 0.7)
        excess = np.where(calm, jumps, 0)
        sums = np.array([excess[:, p::SIDE].sum() / max(calm[:, p::SIDE].sum(), 1) for p in range(SIDE)])
        most = int(np.argmax(sums))
        rest = float(np.median(np.delete(sums, most)))
        strengths.append(float(sums[most] / max(rest, 1e-9) - 1))
        offsets.append((most + 1) % SIDE)
    strength = min(strengths)
    found = strength > _STANDS_OUT
    return Grid((offsets[0], offsets[1]) if found else None, max(strength, 0.0) if found else 0.0)


def find_tables(crops: Sequence[Crop]) -> Tables | None:
    """Return the tables that a picture was compressed with, or None when its coefficients cluster at no multiples.

    Notes
    -----
    The grid is the one with the sparsest coefficients. The quality is found by the mean cosine of coefficients divided
    by the entries of standard tables, which is 1 for multiples and 0 for other values (compare Neelamani et al. 2006,
    doi 10.1109/TIP.2005.864171). Multiples of an entry are also multiples of its half, so of all qualities that fit the
    lowest is used.
    """
    corner = _sparsest_corner(crops)
    if corner is None:
        return None
    coefficients = block_transform(np.concatenate([cut_blocks(*crop, corner) for crop in crops])[:_TRIED] * 255)
    low = coefficients[:, _LOW]
    fits = np.array([_fit(low, standard_tables(quality)[0][_LOW]) for quality in _QUALITIES])
    good = np.flatnonzero((fits[:, 0] > _CLEAR) & (fits[:, 1] > _SURE))
    if not len(good):
        return None
    first = next(index for index in good if fits[index, 0] >= 0.8 * fits[good, 0].max())
    luminance, chroma = standard_tables(_QUALITIES[first])
    return Tables(luminance, chroma, corner)


def cut_blocks(plane: np.ndarray, at: tuple[int, int], corner: tuple[int, int]) -> np.ndarray:
    """Return the whole blocks (n, 8, 8) of a plane that begins at a point of the picture."""
    left, top = ((c - a) % SIDE for c, a in zip(corner, at, strict=True))
    height, width = ((n - o) // SIDE for n, o in zip(plane.shape, (top, left), strict=True))
    inner = plane[top : top + height * SIDE, left : left + width * SIDE]
    return inner.reshape(height, SIDE, width, SIDE).swapaxes(1, 2).reshape(-1, SIDE, SIDE)


def _sparsest_corner(crops: Sequence[Crop]) -> tuple[int, int] | None:
    """Return the corner (x, y) of the grid at which most coefficients are nearly zero."""
    best, corner = np.inf, None
    crops = crops[:: max(len(crops) // _CROPS_SEARCHED, 1)]
    for y in range(SIDE):
        for x in range(SIDE):
            blocks = np.concatenate([cut_blocks(*crop, (x, y)) for crop in crops])
            if not len(blocks):
                return None
            some = block_transform(blocks[:: max(len(blocks) // _SEARCHED, 1)] * 255)
            density = float(np.log(np.abs(some) + 4).mean())
            if density < best:
                best, corner = density, (x, y)
    return corner


def _fit(coefficients: np.ndarray, table: np.ndarray) -> tuple[float, float]:
    """Return the mean cosine of coefficients (n, k) divided by table entries, and its z-score."""
    used = (np.abs(coefficients) > table / 2) & (table >= min(_COARSE, table.max() / 2))
    count = int(used.sum())
    if count < _LEAST_USED:
        return 0.0, 0.0
    ratios = (coefficients / table)[used]
    mean = float(np.cos(2 * np.pi * ratios).mean())
    return mean, mean * float(np.sqrt(2 * count))


def rounding_errors(planes: Sequence[Crop], table: np.ndarray, corner: tuple[int, int]) -> np.ndarray:
    """Return (8, 8) deviations of the quantisation error of each coefficient, in 8-bit values.

    Parameters
    ----------
    planes : of one channel, 0 to 1, as `Crop`.
    table : (8, 8) in 8-bit values.

    Notes
    -----
    Coefficients are modelled as Laplacian: the share of zeros gives the scale, and the scale the error of the zeros
    (compare Lam and Goodman 2000, doi 10.1109/83.869177). The error of the others is uniform within half an entry.
    """
    coefficients = block_transform(np.concatenate([cut_blocks(*plane, corner) for plane in planes]) * 255)
    count = max(len(coefficients), 2)
    zero = (np.abs(coefficients) < table / 2).sum(axis=0) / count
    zero = np.clip(zero, 0.01, 1 - 1 / count)
    spread = -table / (2 * np.log(1 - zero))
    tail = np.exp(-table / (2 * spread))
    within = 2 * spread**2 - (table**2 / 4 + table * spread) * tail / (1 - tail)
    even = table**2 / 12
    return np.sqrt(zero * np.clip(within, 0, even) + (1 - zero) * even).astype(np.float32)


def split_luma(rgb: np.ndarray) -> np.ndarray:
    """Return (3, h, w) luminance and two colour differences of h x w x 3."""
    return np.ascontiguousarray(np.moveaxis(cv2.transform(np.ascontiguousarray(rgb, np.float32), LUMA_CHROMA), 2, 0))


def join_luma(planes: np.ndarray) -> np.ndarray:
    """Return h x w x 3 of `split_luma`'s planes."""
    return cv2.transform(np.ascontiguousarray(np.moveaxis(planes, 0, 2)), RGB)


def halve_crop(crop: Crop, corner: tuple[int, int]) -> Crop:
    """Return a plane of half the size, beginning at the half point counted from a corner of the grid."""
    plane, at = crop
    x, y = (a - c for a, c in zip(at, corner, strict=True))
    even = plane[y % 2 :, x % 2 :]
    even = even[: even.shape[0] // 2 * 2, : even.shape[1] // 2 * 2]
    return halve(np.ascontiguousarray(even)), ((x + 1) // 2, (y + 1) // 2)


def find_colour_corner(colours: Sequence[Crop], corner: tuple[int, int]) -> tuple[int, int]:
    """Return the corner (x, y), 0 to 15, of the grid of colour planes of half the size.

    Parameters
    ----------
    colours : crops of colour planes at full size, 0 to 1.
    corner : of the luminance grid; the colour grid uses every second of its lines in each direction.
    """

    def density(at: tuple[int, int]) -> float:
        halves = (halve_crop(crop, at) for crop in colours)
        blocks = np.concatenate([cut_blocks(*half, (0, 0)) for half in halves])
        return float(np.log(np.abs(block_transform(blocks * 255)) + 8).mean()) if len(blocks) else np.inf

    x, y = (c % SIDE for c in corner)
    return min(((x + right, y + down) for right in (0, SIDE) for down in (0, SIDE)), key=density)
