"""Blocks of 8 x 8 px and their transforms, from which noise is measured, and the choice of flat ones.

A block counts as flat when its *neighbours* are: choosing by the neighbours leaves the block's own coefficients
unbiased by the choice.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from functools import cache

import cv2
import numpy as np
import scipy

from dustpan.core.filters.colour import OPPONENT, to_opponent
from dustpan.core.filters.cut_off import cut_off_moments
from dustpan.core.filters.dct import block_transform, halve
from dustpan.core.noise.model import TONES
from dustpan.core.picture.curve import is_clipped
from dustpan.core.work.sharing import Each

LEAST_BLOCKS = 24  # under which nothing is measured
FREQUENCY = np.add.outer(np.arange(8), np.arange(8))  # sum of both frequencies of each coefficient
_STRIDE = 4  # px between blocks
# Texture raises a low quantile of the squared coefficients least. Colour holds less texture, and its noise has longer
# tails where a channel is clipped at black, so a higher quantile is more reliable there.
_QUANTILES = (0.35, 0.6, 0.6)  # luminance and both colour planes
_SQUARES = (0.20590, 0.70833, 0.70833)  # those quantiles of a squared standard normal value
CUT = 0.12  # share of the pixels around with a channel at black or white from which a block's noise counts as cut off
_AROUND = 33  # px
_REACH = 3.0  # deviations: noise of a pixel reaches black or white if the mean around it is this near
LEAST_WHOLE = 0.04  # share of the blocks that have all their noise, from which the others are left out
LEAST_OF_TONE = 0.1  # the same of the blocks of one tone
LEAST_KEPT = 0.4  # share of its power that noise is taken to have kept at black and white, where it has less
CLIPPED = 0.3  # share of a block's pixels at black or white from which it is left out
_NEAR, _BESIDE_PLAIN = 8, 0.9  # px; share of varied pixels with plain ones so near, from which there is no noise
_LEAST_VALUES, _ROUGH_STEP = 6, 2.5 / 255  # values of a channel and their spacing, from which it counts as rounded
_ROUNDING = 1e-4  # largest coefficient of a block without any variation


@dataclass(frozen=True, eq=False)
class Blocks:
    """Blocks of one pyramid level, N of them.

    Attributes
    ----------
    coefficients : (N, 3, 8, 8), of the opponent planes.
    tones : (N,) mean tone.
    unrest : (N,) low-frequency power of the neighbours, and their differences of tone.
    clipped : (N,) whether many of its pixels are at black or white.
    constant : (N,) whether it has no variation at all, which noise would give it.
    cut : (N,) whether some of its pixels have a channel at black or white, which clips their noise.
    kept : (N, 3) share of the noise power left in each plane after clipping.
    """

    coefficients: np.ndarray
    tones: np.ndarray
    unrest: np.ndarray
    clipped: np.ndarray
    constant: np.ndarray
    cut: np.ndarray
    kept: np.ndarray

    def subset(self, chosen: np.ndarray) -> Blocks:
        """Return some of the blocks; itself where a mask takes all."""
        if chosen.dtype == np.bool_ and chosen.all():
            return self
        return Blocks(*(getattr(self, item.name)[chosen] for item in fields(self)))

    def whole(self) -> Blocks:
        """Return the blocks without clipping, or all where those are too few."""
        sound = ~self.cut
        return self.subset(sound) if sound.sum() >= max(4 * LEAST_BLOCKS, LEAST_WHOLE * len(sound)) else self

    def cut_tones(self) -> Blocks:
        """Return the blocks of tones at which nearly all are clipped: there the clipped noise is measured."""
        bins = tone_bins(self.tones)
        count, cut = (np.bincount(bins, weights, len(TONES)) for weights in (None, self.cut.astype(float)))
        return self.subset((count - cut < LEAST_OF_TONE * count)[bins])

    @classmethod
    def joined(cls, parts: Iterable[Blocks]) -> Blocks:
        """Return the blocks of several crops together."""
        parts = list(parts)
        return cls(*(np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(cls)))


def planes_of(crop: np.ndarray) -> np.ndarray:
    """Return the 7 x h x w planes of a crop from which blocks are cut: opponent planes, and where noise is cut off.

    The fourth is the share of pixels with a channel at black or white, over a window much larger than a block: chosen
    by their own pixels, blocks with less noise would be preferred. The last are 1 where noise took each channel there.
    """
    ends = is_clipped(crop)
    cut = (ends[..., 0] | ends[..., 1] | ends[..., 2]).astype(np.float32)
    share = cv2.blur(cut, (_AROUND, _AROUND), borderType=cv2.BORDER_REFLECT)
    reached = ends & _within_reach(crop)
    return np.concatenate([to_opponent(crop), share[None], np.moveaxis(reached, 2, 0)], dtype=np.float32)


def is_silent(crops: Sequence[np.ndarray], each: Each) -> bool:
    """Return whether pictures are drawings or text without noise: nearly all pixels that vary have constant neighbours.

    With noise hardly any pixel equals all of its neighbours.
    """
    counts = np.array([*each(_plain_counts, crops)]).reshape(-1, 2).sum(axis=0)
    return bool(counts[1] > _BESIDE_PLAIN * counts[0])


def is_rounded(crops: Sequence[np.ndarray]) -> bool:
    """Return whether the values of pictures stand in few even steps, as those with fewer bits than 7 do."""
    values = np.unique(np.concatenate([np.unique(crop[..., 1]) for crop in crops]))
    return bool(len(values) >= _LEAST_VALUES and np.diff(values).min() > _ROUGH_STEP)


def _plain_counts(crop: np.ndarray) -> tuple[int, int]:
    """Return how many pixels vary from their neighbours, and how many of these have some near that do not."""
    around = np.ones((3, 3), np.uint8)
    varied = (cv2.dilate(crop, around) != cv2.erode(crop, around)).any(axis=2).astype(np.uint8)
    far = cv2.erode(varied, np.ones((2 * _NEAR + 1,) * 2, np.uint8))
    return int(varied.sum()), int(varied.sum()) - int(far.sum())


def _within_reach(crop: np.ndarray) -> np.ndarray:
    """Return where the local mean is so near to black or white that noise, not specks, reaches it."""
    mean, square = (cv2.blur(values, (_AROUND, _AROUND), borderType=cv2.BORDER_REFLECT) for values in (crop, crop**2))
    return np.minimum(mean, 1 - mean) < _REACH * np.sqrt(np.maximum(square - mean**2, 0))


def halve_planes(planes: np.ndarray) -> np.ndarray:
    """Return planes reduced by 2; an odd last row or column is dropped."""
    height, width = planes.shape[1:]
    return np.stack([halve(plane[: height // 2 * 2, : width // 2 * 2]) for plane in planes])


def cut_blocks(planes: np.ndarray) -> Blocks:
    """Return the blocks of a crop, given as `planes_of` gives it, perhaps reduced."""
    windows = np.lib.stride_tricks.sliding_window_view(planes, (8, 8), axis=(1, 2))[:, ::_STRIDE, ::_STRIDE]
    share, *ends = windows[3:].mean(axis=(3, 4))
    windows = windows[:3]
    coefficients = block_transform(windows)
    rows, columns = coefficients.shape[1:3]
    luminance = coefficients[0]
    low = (luminance**2 * band_masks([(1, 3)])[0]).sum(axis=(2, 3))
    mean = luminance[..., 0, 0]
    step = 8 // _STRIDE
    cross = np.zeros((2 * step + 1, 2 * step + 1))
    cross[0, step] = cross[-1, step] = cross[step, 0] = cross[step, -1] = 1
    unrest = cv2.filter2D(low, -1, cross, borderType=cv2.BORDER_REPLICATE)
    around = np.pad(mean, step, mode="edge")
    unrest += 2 * (around[: -2 * step, step:-step] - around[2 * step :, step:-step]) ** 2
    unrest += 2 * (around[step:-step, : -2 * step] - around[step:-step, 2 * step :]) ** 2
    tone = mean / (8 * 3**0.5)
    values = windows[0] / 3**0.5
    clipped = is_clipped(values).mean(axis=(2, 3)) >= CLIPPED
    varies = np.abs(luminance).reshape(rows, columns, 64)[..., 1:].max(-1) > _ROUNDING
    together = np.moveaxis(coefficients, 0, 2).reshape(-1, 3, 8, 8)
    kept = kept_by_planes(np.stack(ends, axis=-1).reshape(-1, 3))
    return Blocks(together, tone.ravel(), unrest.ravel(), clipped.ravel(), ~varies.ravel(), share.ravel() >= CUT, kept)


def kept_by_planes(ends: np.ndarray) -> np.ndarray:
    """Return (N, 3), the share of the noise power that clipping leaves in each plane.

    Parameters
    ----------
    ends : (N, 3), the share of pixels at black or white in each channel. Noise is taken to be normal and as strong in
        all of them.
    """
    at_end, kept = _kept_power()
    return np.interp(ends, at_end, kept) @ (OPPONENT.T**2)


@cache
def _kept_power() -> tuple[np.ndarray, np.ndarray]:
    """Return shares of pixels at an end, rising, and the share of the power of normal noise left with each."""
    apart, deviation = np.linspace(4, -4, 81), 0.01  # deviations from black; white is far
    mean, square = cut_off_moments(apart * deviation, deviation)
    return np.r_[0, scipy.special.ndtr(-apart), 1], np.r_[1, (square - mean**2) / deviation**2, 0]


def band_masks(bands: Sequence[tuple[int, int]]) -> np.ndarray:
    """Return (bands, 8, 8), the coefficients whose frequencies' sum lies within the bounds of each band."""
    return np.stack([(low <= FREQUENCY) & (high >= FREQUENCY) for low, high in bands])


def tone_bins(tones: np.ndarray) -> np.ndarray:
    """Return the index of the nearest of `TONES` for each tone."""
    return np.clip((tones * (len(TONES) - 1) + 0.5).astype(int), 0, len(TONES) - 1)


def choose_flat(tones: np.ndarray, unrest: np.ndarray) -> dict[int, np.ndarray]:
    """Return the indices of the blocks of each tone bin that are about as flat as its flattest."""
    bins = tone_bins(tones)
    chosen = {}
    for number in np.unique(bins):
        index = np.flatnonzero(bins == number)
        if len(index) < LEAST_BLOCKS:
            continue
        values = unrest[index]
        limit = 1.5 * np.quantile(values, 0.02)
        at_least = np.sort(values)[min(len(values) - 1, max(LEAST_BLOCKS, len(values) // 50))]
        chosen[int(number)] = index[values <= max(limit, at_least)]
    if not chosen:
        order = np.argsort(unrest)[: max(LEAST_BLOCKS, len(unrest) // 20)]
        chosen[0] = order
    return chosen


def robust_power(blocks: np.ndarray) -> np.ndarray:
    """Return (3, 8, 8) power of (N, 3, 8, 8) coefficients, from low quantiles of their squares."""
    powers = coefficient_powers(blocks).reshape(3, 64, -1)
    planes = zip(powers, _QUANTILES, _SQUARES, strict=True)
    return np.stack([row_quantiles(power, [part])[0] / square for power, part, square in planes]).reshape(3, 8, 8)


def coefficient_powers(blocks: np.ndarray) -> np.ndarray:
    """Return (192, N), the squares of (N, 3, 8, 8) coefficients, each coefficient's together."""
    return np.ascontiguousarray(blocks.reshape(-1, 192).T) ** 2


def row_quantiles(rows: np.ndarray, parts: Sequence[float]) -> np.ndarray:
    """Return (parts, rows) quantiles of each row; sorting takes a fifth of the time of `numpy.quantile`."""
    ordered = np.sort(rows, axis=1)
    at = np.asarray(parts) * (rows.shape[1] - 1)
    low = at.astype(int)
    high = np.minimum(low + 1, rows.shape[1] - 1)
    rest = (at - low).astype(rows.dtype)
    return (ordered[:, low] * (1 - rest) + ordered[:, high] * rest).T


def steepness(blocks: Blocks) -> float:
    """Return the ratio of the neighbours' unrest to the blocks' own fine variation.

    About 40 for white noise, 100 for a camera's, several hundred and more for edges.
    """
    fine = (blocks.coefficients[:, 0] ** 2 * (FREQUENCY >= 8)).sum(axis=(1, 2)) / (FREQUENCY >= 8).sum()
    return float(np.median(blocks.unrest) / max(np.median(fine), 1e-12))
