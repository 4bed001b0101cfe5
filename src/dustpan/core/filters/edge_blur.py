"""The blur that a picture's own edges have: how wide, of what shape, and along which way it was moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.filters.edge_profiles import Edges, find_edges, overshoot_of, rise_of

RISE = 2.563  # 10-90 % rise of an edge under a gaussian blur of deviation 1
_OWN = 0.55  # px, deviation of the blur that any sampled picture has
_BINS = 8  # of directions, over half a turn
_FEW = 6  # profiles from which a direction counts
_LEAST_BINS = 6  # directions from which a motion can be found
_FITTING = 0.75  # part of how the widths vary that a motion must explain: things at several distances vary otherwise
_MOVED = 0.45  # part by which the variance over directions varies from where on the blur is a motion
_WIDE = 3.6  # px of rise from which a disc differs enough from a gaussian
_ROUND = 1.78  # ratio of the 10-90 % to the 25-75 % rise: 1.90 of a gaussian, 1.70 of a disc


@dataclass(frozen=True)
class Blur:
    """The blur of a picture's sharpest edges.

    Attributes
    ----------
    rise : 10-90 % rise, px.
    overshoot : of the edges, as a part of their step: what was sharpened before has some.
    shape : "gaussian", "disc" or "motion".
    radius : the gaussian's deviation, the disc's radius, half the way moved; px.
    angle : of the motion, counterclockwise from level, degrees, 0 to 180.
    """

    rise: float
    overshoot: float
    shape: str
    radius: float
    angle: float


def measure_blur(patches: Sequence[np.ndarray]) -> Blur | None:
    """Return the blur that the strongest edges of patches (h x w x 3) have, or None without an edge."""
    found = [edges for patch in patches if (edges := find_edges(patch, patch)) is not None]
    if not found:
        return None
    edges = Edges.joined(found)
    profile = np.median(edges.profiles[0], axis=0)
    rise, overshoot = rise_of(profile), overshoot_of(edges.profiles[0])
    moved = _motion(edges)
    if moved is not None:
        return Blur(rise, overshoot, "motion", *moved)
    deviation = np.sqrt(max((rise / RISE) ** 2 - _OWN**2, 0.0))
    if rise >= _WIDE and rise / rise_of(profile, 0.25, 0.75) < _ROUND:
        return Blur(rise, overshoot, "disc", float(2 * deviation), 0.0)
    return Blur(rise, overshoot, "gaussian", float(deviation), 0.0)


def _motion(edges: Edges) -> tuple[float, float] | None:
    """Return half the way and the angle of a motion, or None where the blur is alike in all directions.

    A motion adds to the variance of an edge's spread a third of the squared half way across that edge.
    """
    bins = (edges.angles / 180 * _BINS).astype(int) % _BINS
    angles, variances = [], []
    for number in range(_BINS):
        if (mine := bins == number).sum() >= _FEW:
            doubled = np.deg2rad(2 * edges.angles[mine])
            angles.append(np.arctan2(np.sin(doubled).mean(), np.cos(doubled).mean()))
            variances.append((rise_of(np.median(edges.profiles[0][mine], axis=0)) / RISE) ** 2)
    if len(angles) < _LEAST_BINS:
        return None
    terms = np.column_stack([np.ones(len(angles)), np.cos(angles), np.sin(angles)])
    found = np.array(variances)
    (mean, cosine, sine), *_ = np.linalg.lstsq(terms, found, rcond=None)
    varies = float(np.hypot(cosine, sine))
    left = found - terms @ np.array([mean, cosine, sine])
    if mean <= 0 or varies < _MOVED * mean or left.var() > (1 - _FITTING) * found.var():
        return None
    return float(np.sqrt(6 * varies)), float(np.rad2deg(np.arctan2(sine, cosine)) / 2 % 180)
