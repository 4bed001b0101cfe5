"""Peaks of a tile, and what they are judged by: their surroundings and the fine detail around them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from dustpan.core.filters.colour import highest_channel

NEAR, FACTS = 9, 15  # px, side of the surroundings that peaks are described by; numbers that describe one
_WINDOW = 33  # px, side of the square in which fine detail is counted
_DETAIL = np.array([8, 16, 32, 64, 128], np.float32) / 255  # sizes of detail that are counted
_LARGEST = 3.0  # times the peak, that surroundings are held to


@dataclass(frozen=True, eq=False)
class Peaks:
    """Peaks of a tile.

    Attributes
    ----------
    tile : H x W x 3 float32 working pixels.
    points : (n, 2) rows and columns, at least 4 px from the border.
    signs : (n,) float32, 1 for bright, -1 for dark.
    noise : (n, 3) float32, deviation of each channel's noise.
    detail : (n, 5) float32, see `count_detail`.
    """

    tile: np.ndarray
    points: np.ndarray
    signs: np.ndarray
    noise: np.ndarray
    detail: np.ndarray

    @classmethod
    def at(cls, tile: np.ndarray, points: np.ndarray, signs: np.ndarray, noise: np.ndarray) -> Peaks:
        """Return the peaks at some points, with the detail around them counted."""
        return cls(tile, points, signs, noise, count_detail(tile, points))

    def __len__(self) -> int:
        return len(self.points)

    def among(self, chosen: np.ndarray | slice) -> Peaks:
        """Return some of them."""
        own = (getattr(self, name)[chosen] for name in ("points", "signs", "noise", "detail"))
        return replace(self, **dict(zip(("points", "signs", "noise", "detail"), own, strict=True)))

    def surroundings(self, side: int) -> np.ndarray:
        """Return (n, side, side, 3) pixels around them; a dark peak's are those of the negative.

        Past the border the tile is mirrored.
        """
        patches = cut_around(self.tile, self.points, side)
        dark = self.signs < 0
        patches[dark] = 1 - patches[dark]
        return patches


def cut_around(tile: np.ndarray, points: np.ndarray, side: int) -> np.ndarray:
    """Return (n, side, side, 3) pixels around points (n, 2); past the border the tile is mirrored."""
    around = np.arange(side) - side // 2
    rows, columns = (
        last - np.abs(last - np.abs(points[:, axis, None] + around))
        for axis, last in enumerate((tile.shape[0] - 1, tile.shape[1] - 1))
    )
    return tile[rows[:, :, None], columns[:, None, :]]


def count_detail(tile: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Return (n, 5) shares of the pixels around points that differ from their nearest ones by some sizes or more.

    Where there are many, one more is no speck.
    """
    rest = highest_channel(cv2.absdiff(tile, cv2.medianBlur(tile, 5)))
    rim = _WINDOW // 2
    wide = cv2.copyMakeBorder(rest, rim, rim, rim, rim, cv2.BORDER_REFLECT)
    (top, left), (bottom, right) = points.T, points.T + _WINDOW
    counts = np.empty((len(points), len(_DETAIL)), np.float32)
    for index, size in enumerate(_DETAIL):
        sums = cv2.integral((wide > size).view(np.uint8))
        counts[:, index] = sums[bottom, right] - sums[top, right] - sums[bottom, left] + sums[top, left]
    return counts * np.float32(1 / _WINDOW**2)


def describe(
    patches: np.ndarray, noise: np.ndarray, detail: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Return the facts of peaks that networks are given.

    Parameters
    ----------
    patches : (n, side, side, 3) working pixels around bright peaks; side is `NEAR` or more, and odd.
    noise : (n, 3) deviation of each channel's noise.
    detail : (n, 5), see `count_detail`.

    Returns
    -------
    (n, side, side, 3) the surroundings less their medians, in units of the peak's height. (n, 15) facts: the height,
    what that is in units of the noise, the channels' spread, how far the peak is from white, how much fine detail there
    is, and the medians. (n,) the height and (n, 3) the medians, working values. All float32.
    """
    rim = (patches.shape[1] - NEAR) // 2
    facts, height, medians = _facts(patches[:, rim : rim + NEAR, rim : rim + NEAR], noise, detail)
    return scale(patches, height, medians), facts, height, medians


def scale(patches: np.ndarray, height: np.ndarray, medians: np.ndarray) -> np.ndarray:
    """Return surroundings less their medians, in units of the peak's height; see `describe`."""
    rest = patches - medians[:, None, None]
    return np.clip(rest / height[:, None, None, None], -_LARGEST, _LARGEST).astype(np.float32)


def _facts(near: np.ndarray, noise: np.ndarray, detail: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the facts, heights and medians of `describe`."""
    flat = near.reshape(len(near), NEAR * NEAR, 3)
    medians = np.median(flat, axis=1)
    rest = flat - medians[:, None]
    middle = NEAR * NEAR // 2
    height = np.maximum(rest[:, middle].max(axis=1), 1e-3)[:, None]
    sizes = [np.log(height * 12), np.log(height / noise.max(axis=1, keepdims=True))]
    spread = np.median(np.abs(rest), axis=1) / height
    below_white = np.minimum(1 - flat[:, middle].max(axis=1, keepdims=True), 1)
    more = [np.log(detail + 1e-3), (detail * (height < 1.5 * _DETAIL)).sum(axis=1, keepdims=True)]
    facts = np.concatenate([*sizes, spread, below_white, *more, medians], axis=1)
    return facts.astype(np.float32), height[:, 0].astype(np.float32), medians.astype(np.float32)
