"""Tell how a picture was compressed in 8 x 8 blocks: where their grid lies, how coarse their steps are.

A picture that was cropped or saved again after its compression says nothing of it in its file, but its block
coefficients still gather at multiples of the steps they were rounded to.
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
_COARSE = 6.0  # 8-bit steps that are fine enough to be left by noise are not looked at
_SURE, _CLEAR = 8.0, 0.35  # deviations, and mean cosine, from which coefficients gather at multiples
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
    strength : how much larger the steps across the grid are than the others, as a share.
    """

    grid: tuple[int, int] | None
    strength: float


@dataclass(frozen=True, eq=False)
class Steps:
    """Steps that a picture's block coefficients were rounded to.

    Attributes
    ----------
    luminance, chroma : (8, 8) steps in 8-bit values, rows are vertical frequencies.
    corner : (x, y) of the first corner of the grid, 0 to 7, or 0 to 15 where colour has half the size and that is told.
    told : whether the file itself tells them; else they were found.
    """

    luminance: np.ndarray
    chroma: np.ndarray
    corner: tuple[int, int]
    told: bool = False

    @property
    def coarseness(self) -> float:
        """Mean step of the nine lowest frequencies, in 8-bit values."""
        return float(self.luminance[:3, :3].mean())


def standard_steps(quality: int) -> tuple[np.ndarray, np.ndarray]:
    """Return the luminance and chroma steps that most programs take for a quality of 1 to 100."""
    factor = 5000 // quality if quality < 50 else 200 - 2 * quality
    scaled = [np.clip(np.floor((table * factor + 50) / 100), 1, 255) for table in (_LUMINANCE, _CHROMA)]
    return scaled[0].astype(np.float32), scaled[1].astype(np.float32)


def find_grid(tone: np.ndarray) -> Grid:
    """Return the grid of compression blocks in (h, w) tones.

    Notes
    -----
    Steps between neighbours are compared with the mean of the steps beside them, so that edges count little, and
    gathered by their place in a period of 8 (compare Fan and de Queiroz 2003, doi 10.1109/TIP.2002.807361).
    """
    offsets, strengths = [], []
    for plane in (tone, tone.T):
        steps = np.abs(np.diff(plane, axis=1))
        if steps.shape[1] < 4 * SIDE:
            return Grid(None, 0.0)
        beside = (np.roll(steps, 2, axis=1) + np.roll(steps, -2, axis=1)) / 2
        calm = beside < np.quantile(beside, 0.7)
        excess = np.where(calm, steps, 0)
        sums = np.array([excess[:, p::SIDE].sum() / max(calm[:, p::SIDE].sum(), 1) for p in range(SIDE)])
        most = int(np.argmax(sums))
        rest = float(np.median(np.delete(sums, most)))
        strengths.append(float(sums[most] / max(rest, 1e-9) - 1))
        offsets.append((most + 1) % SIDE)
    strength = min(strengths)
    found = strength > _STANDS_OUT
    return Grid((offsets[0], offsets[1]) if found else None, max(strength, 0.0) if found else 0.0)


def find_steps(crops: Sequence[Crop]) -> Steps | None:
    """Return the steps that a picture was once rounded to, or None when its coefficients gather at no multiples.

    Notes
    -----
    The grid is looked for where coefficients are sparsest, the quality by the mean cosine of coefficients over the
    standard tables' steps, which is 1 for multiples and 0 for anything else (compare Neelamani et al. 2006,
    doi 10.1109/TIP.2005.864171). Multiples of a step are multiples of its half too: of all qualities that fit the
    lowest is taken.
    """
    corner = _sparsest_corner(crops)
    if corner is None:
        return None
    coefficients = block_transform(np.concatenate([cut_blocks(*crop, corner) for crop in crops])[:_TRIED] * 255)
    low = coefficients[:, _LOW]
    fits = np.array([_fit(low, standard_steps(quality)[0][_LOW]) for quality in _QUALITIES])
    good = np.flatnonzero((fits[:, 0] > _CLEAR) & (fits[:, 1] > _SURE))
    if not len(good):
        return None
    first = next(index for index in good if fits[index, 0] >= 0.8 * fits[good, 0].max())
    luminance, chroma = standard_steps(_QUALITIES[first])
    return Steps(luminance, chroma, corner)


def cut_blocks(plane: np.ndarray, at: tuple[int, int], corner: tuple[int, int]) -> np.ndarray:
    """Return the whole blocks (n, 8, 8) of a plane that begins at a point of the picture."""
    left, top = ((c - a) % SIDE for c, a in zip(corner, at, strict=True))
    height, width = ((n - o) // SIDE for n, o in zip(plane.shape, (top, left), strict=True))
    inner = plane[top : top + height * SIDE, left : left + width * SIDE]
    return inner.reshape(height, SIDE, width, SIDE).swapaxes(1, 2).reshape(-1, SIDE, SIDE)


def _sparsest_corner(crops: Sequence[Crop]) -> tuple[int, int] | None:
    """Return the corner (x, y) of the grid at which coefficients are most often next to nothing."""
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


def _fit(coefficients: np.ndarray, steps: np.ndarray) -> tuple[float, float]:
    """Return the mean cosine of coefficients (n, k) over steps, and in how many deviations of chance."""
    used = (np.abs(coefficients) > steps / 2) & (steps >= min(_COARSE, steps.max() / 2))
    count = int(used.sum())
    if count < _LEAST_USED:
        return 0.0, 0.0
    ratios = (coefficients / steps)[used]
    mean = float(np.cos(2 * np.pi * ratios).mean())
    return mean, mean * float(np.sqrt(2 * count))


def rounding_errors(planes: Sequence[Crop], steps: np.ndarray, corner: tuple[int, int]) -> np.ndarray:
    """Return (8, 8) deviations of the error that rounding has left in each coefficient, in 8-bit values.

    Parameters
    ----------
    planes : of one channel, 0 to 1, as `Crop`.
    steps : (8, 8) in 8-bit values.

    Notes
    -----
    Coefficients are taken for Laplacian: how many are 0 tells their spread, and that the error of those that are
    (compare Lam and Goodman 2000, doi 10.1109/83.869177). Others are off by up to half a step, evenly.
    """
    coefficients = block_transform(np.concatenate([cut_blocks(*plane, corner) for plane in planes]) * 255)
    count = max(len(coefficients), 2)
    zero = (np.abs(coefficients) < steps / 2).sum(axis=0) / count
    zero = np.clip(zero, 0.01, 1 - 1 / count)
    spread = -steps / (2 * np.log(1 - zero))
    tail = np.exp(-steps / (2 * spread))
    within = 2 * spread**2 - (steps**2 / 4 + steps * spread) * tail / (1 - tail)
    even = steps**2 / 12
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
    corner : of the grid of luminance, which colour shares every second line of in each direction.
    """

    def density(at: tuple[int, int]) -> float:
        halves = (halve_crop(crop, at) for crop in colours)
        blocks = np.concatenate([cut_blocks(*half, (0, 0)) for half in halves])
        return float(np.log(np.abs(block_transform(blocks * 255)) + 8).mean()) if len(blocks) else np.inf

    x, y = (c % SIDE for c in corner)
    return min(((x + right, y + down) for right in (0, SIDE) for down in (0, SIDE)), key=density)
