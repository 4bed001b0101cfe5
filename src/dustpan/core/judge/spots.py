"""Spots of a picture that are worth looking at: where noise shows, where edges and texture can be harmed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from dustpan.core.filters.sectors import Sectors
from dustpan.core.picture.base import Base
from dustpan.core.picture.region import Region, Size, region_around
from dustpan.core.render.grid import ALIGN

PATCH = 128  # px of the full picture, side of a patch
_TONE_BANDS = 6
_PER_BAND = 3  # patches in a band of tones, from flat to busy
_EDGES, _TEXTURES = 5, 5  # patches with the strongest edges and the richest texture


@dataclass(frozen=True)
class Spot:
    """A named point of the picture, in its pixels."""

    name: str
    x: int
    y: int

    def region(self, size: Size, *, within: Size) -> Region:
        """Return a region of about `size` around the spot, aligned so that sliding windows keep their positions."""
        return region_around(self.x, self.y, size, within=within, step=ALIGN)

    def patch(self, *, within: Size) -> Region:
        """Return the patch around the spot."""
        return self.region((PATCH, PATCH), within=within)


def sectors_of(base: Base) -> Sectors:
    """Return the sectors of a base."""
    return Sectors.of(base.read_overview(), base.size)


def choose_proofs(base: Base) -> list[Spot]:
    """Return the five spots that show best how far a route goes.

    Dark and flat, midtone, highlight, the strongest edge, the richest texture. Each is a place of its own, edge and
    texture first; in a picture of less than five sectors spots repeat.
    """
    sectors = sectors_of(base)
    planes = sectors.tone, sectors.unrest, sectors.edge, sectors.clipped
    tone, unrest, edge, clipped = (plane.ravel() for plane in planes)
    calm = unrest / max(float(unrest.max()), 1e-6)
    low, high = np.quantile(tone, [0.1, 0.97])
    middle = np.clip(np.median(tone[tone > low]) if (tone > low).any() else 0.5, 0.25, 0.6)
    scores = {
        "Shadow": np.abs(tone - low) + 0.3 * calm + 0.3 * clipped,
        "Midtone": np.abs(tone - middle) + 0.3 * calm,
        "Highlight": np.abs(tone - high) + 0.1 * calm + 0.3 * clipped,
        "Edge": -edge,
        "Texture": -unrest * (1 - clipped) + 0.02 * edge,
    }
    chosen: dict[str, int] = {}
    for name in ("Edge", "Texture", "Highlight", "Shadow", "Midtone"):
        free = np.ones(len(tone), bool)
        free[list(chosen.values())] = len(tone) < len(scores)
        chosen[name] = int(np.argmin(np.where(free, scores[name], np.inf)))
    return [Spot(name, *sectors.point(chosen[name])) for name in scores]


def choose_patches(base: Base) -> list[Spot]:
    """Return at most 28 spots: over tones, flat and busy, and where edges and texture are strongest.

    Their names say what they were chosen for: "edge", "texture" or "tone". A small picture has fewer, as patches that
    were chosen for the same thing do not lie over one another.
    """
    sectors = sectors_of(base)
    tone, unrest, edge = (plane.ravel() for plane in (sectors.tone, sectors.unrest, sectors.edge))
    chosen: dict[int, str] = {}
    for index in np.argsort(-edge)[:_EDGES]:
        chosen.setdefault(int(index), "edge")
    for index in np.argsort(-unrest)[:_TEXTURES]:
        chosen.setdefault(int(index), "texture")
    bounds = np.quantile(tone, np.linspace(0, 1, _TONE_BANDS + 1))
    for low, high in itertools.pairwise(bounds):
        band = np.flatnonzero((tone >= low) & (tone <= high))  # empty where a picture has few sectors
        ranked = band[np.argsort(unrest[band])]
        for share in np.linspace(0.05, 0.8, _PER_BAND if len(ranked) else 0):
            chosen.setdefault(int(ranked[int(share * (len(ranked) - 1))]), "tone")
    return _without_overlap([Spot(name, *sectors.point(index)) for index, name in chosen.items()])


def _without_overlap(spots: list[Spot]) -> list[Spot]:
    """Return the spots but those whose patch lies mostly over that of an earlier one of the same name."""
    kept: list[Spot] = []
    for spot in spots:
        near = (other for other in kept if other.name == spot.name)
        if all(max(abs(spot.x - other.x), abs(spot.y - other.y)) > PATCH // 2 for other in near):
            kept.append(spot)
    return kept
