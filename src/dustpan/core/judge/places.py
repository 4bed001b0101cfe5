"""Places of a picture that are worth looking at: where noise shows, where edges and texture can be harmed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of

SIDE = 128  # px of the full picture, side of a patch
_TONE_BANDS = 6
_A_BAND = 3  # patches in a band of tones, from flat to busy
_EDGES, _TEXTURES = 5, 5  # patches with the strongest edges and the richest texture


@dataclass(frozen=True)
class Place:
    """A named point of the picture, in its pixels."""

    name: str
    x: int
    y: int


@dataclass(frozen=True, eq=False)
class Cells:
    """The overview in cells of about 64 px of the full picture, rows x columns each.

    tone : mean; unrest : middle of the fine contrast, high where texture is everywhere; edge : the steepest slope;
    lost : share at black or white.
    """

    tone: np.ndarray
    unrest: np.ndarray
    edge: np.ndarray
    lost: np.ndarray
    size: tuple[int, int]

    @classmethod
    def of(cls, overview: np.ndarray, size: tuple[int, int]) -> Cells:
        """Make cells from a reduced picture (h x w x 3 working pixels) of a picture of `size` (width, height)."""
        tone = np.clip(tone_of(overview), 0, 1)
        soft = cv2.GaussianBlur(tone, (0, 0), 1.0)
        fine = np.abs(soft - cv2.GaussianBlur(tone, (0, 0), 2.5))
        slope = np.asarray(cv2.magnitude(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)))
        lost = np.asarray((overview <= 0.002).all(axis=2) | (overview >= 0.998).any(axis=2), np.float32)
        side = max(4, round(SIDE / 2 * overview.shape[1] / size[0]))
        return cls(
            tone=_in_cells(tone, side, np.mean),
            unrest=_in_cells(fine, side, np.median),
            edge=_in_cells(slope, side, np.max),
            lost=_in_cells(lost, side, np.mean),
            size=size,
        )

    def point(self, index: int) -> tuple[int, int]:
        """Return the full picture's pixel at the middle of a cell, by its number in reading order."""
        rows, columns = self.tone.shape
        row, column = divmod(int(index), columns)
        return round((column + 0.5) * self.size[0] / columns), round((row + 0.5) * self.size[1] / rows)


def _in_cells(plane: np.ndarray, side: int, gather) -> np.ndarray:
    rows, columns = max(1, plane.shape[0] // side), max(1, plane.shape[1] // side)
    cut = plane[: rows * side, : columns * side] if min(plane.shape) >= side else plane
    rows, columns = (rows, columns) if min(plane.shape) >= side else (1, 1)
    blocks = cut.reshape(rows, cut.shape[0] // rows, columns, cut.shape[1] // columns).swapaxes(1, 2)
    return gather(blocks.reshape(rows, columns, -1), axis=2)


def choose_proofs(cells: Cells) -> list[Place]:
    """Return five places: dark and flat, midtone, highlight, the strongest edge, the richest texture.

    On a picture of less than five cells, places repeat.
    """
    tone, unrest, edge, lost = (p.ravel() for p in (cells.tone, cells.unrest, cells.edge, cells.lost))
    calm = unrest / max(float(unrest.max()), 1e-6)
    low, high = np.quantile(tone, [0.1, 0.97])
    middle = np.clip(np.median(tone[tone > low]) if (tone > low).any() else 0.5, 0.25, 0.6)
    scores = {
        "Shadow": np.abs(tone - low) + 0.3 * calm + 0.3 * lost,
        "Midtone": np.abs(tone - middle) + 0.3 * calm,
        "Highlight": np.abs(tone - high) + 0.1 * calm + 0.3 * lost,
        "Edge": -edge,
        "Texture": -unrest * (1 - lost) + 0.02 * edge,
    }
    return [Place(name, *cells.point(int(np.argmin(score)))) for name, score in scores.items()]


def choose_patches(cells: Cells) -> list[Place]:
    """Return about 24 middles of patches over tones, flat and busy, and where edges and texture are strongest."""
    tone, unrest, edge = (p.ravel() for p in (cells.tone, cells.unrest, cells.edge))
    chosen: dict[int, str] = {}
    for number in np.argsort(-edge)[:_EDGES]:
        chosen.setdefault(int(number), "edge")
    for number in np.argsort(-unrest)[:_TEXTURES]:
        chosen.setdefault(int(number), "texture")
    bounds = np.quantile(tone, np.linspace(0, 1, _TONE_BANDS + 1))
    for low, high in itertools.pairwise(bounds):
        band = np.flatnonzero((tone >= low) & (tone <= high))
        ranked = band[np.argsort(unrest[band])]
        for share in np.linspace(0.05, 0.8, _A_BAND):
            chosen.setdefault(int(ranked[int(share * (len(ranked) - 1))]), "tone")
    return [Place(name, *cells.point(number)) for number, name in chosen.items()]
