"""Profiles across a picture's strongest edges: how soft it is, and what overshoots beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of

#: (n, 2 * REACH + 1) profiles across edges scaled to a step of 1, before and after.
Profiles = tuple[np.ndarray, np.ndarray]

REACH = 9  # px to both sides of an edge
_ALONG = 4  # px to both sides along an edge that are averaged
_PLATEAU = 6  # px from an edge where its plateau begins
NEAR = 4  # px beside an edge in which it overshoots
_MOST_EDGES = 40  # of a patch
_LEAST_SLOPE = 0.12  # of an edge, as a Sobel filter of tones gives it
_LEAST_STEP = 0.05  # tone


@dataclass(frozen=True, eq=False)
class Edges:
    """The strongest edges of a patch.

    Attributes
    ----------
    profiles : across them, before and after.
    steps : (n,) their heights before, in tone.
    angles : (n,) across them, degrees counterclockwise from level, 0 to 180.
    """

    profiles: Profiles
    steps: np.ndarray
    angles: np.ndarray

    @classmethod
    def joined(cls, parts: Sequence[Edges]) -> Edges:
        """Return the edges of several patches together."""
        first, second = (np.concatenate([part.profiles[n] for part in parts]) for n in (0, 1))
        rest = (np.concatenate([getattr(part, name) for part in parts]) for name in ("steps", "angles"))
        return cls((first, second), *rest)

    def at_least(self, step: float) -> Profiles:
        """Return the profiles of edges of at least a step."""
        strong = self.steps >= step
        return self.profiles[0][strong], self.profiles[1][strong]


def find_edges(before: np.ndarray, after: np.ndarray) -> Edges | None:
    """Return a patch's strongest edges before and after, or None when it has none."""
    tones = [tone_of(pixels) for pixels in (before, after)]
    soft = cv2.GaussianBlur(tones[0], (0, 0), 1.5)
    across, down = (cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    steep = np.hypot(across, down)
    rows, columns = _steepest_points(steep)
    if not len(rows):
        return None
    direction = np.stack([across[rows, columns], down[rows, columns]]) / steep[rows, columns]
    scaled = [_scale(profile) for profile in _sample_profiles(tones, rows, columns, direction)]
    (first, steps), (second, _) = scaled
    sound = np.isfinite(first).all(axis=1) & np.isfinite(second).all(axis=1)
    angles = np.rad2deg(np.arctan2(-direction[1], direction[0])) % 180
    return Edges((first[sound], second[sound]), steps[sound], angles[sound]) if sound.any() else None


def _steepest_points(steep: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return rows and columns of the peaks of a slope, the steepest first."""
    inner = np.zeros_like(steep)
    rim = REACH + _ALONG
    inner[rim:-rim, rim:-rim] = steep[rim:-rim, rim:-rim]
    top = cv2.dilate(inner, np.ones((5, 5), np.uint8))
    rows, columns = np.nonzero((inner == top) & (inner > max(0.5 * inner.max(initial=0.0), _LEAST_SLOPE)))
    order = np.argsort(-inner[rows, columns])[:_MOST_EDGES]
    return rows[order], columns[order]


def _sample_profiles(
    tones: Sequence[np.ndarray], rows: np.ndarray, columns: np.ndarray, direction: np.ndarray
) -> list[np.ndarray]:
    """Return (n, 2 * reach + 1) profiles of each plane across edges at points, averaged along the edges."""
    distance = np.arange(-REACH, REACH + 1, dtype=np.float32)
    along = np.arange(-_ALONG, _ALONG + 1, dtype=np.float32)[:, None, None]
    xs = columns[:, None] + direction[0][:, None] * distance - direction[1][:, None] * along
    ys = rows[:, None] + direction[1][:, None] * distance + direction[0][:, None] * along
    at_x, at_y = (np.ascontiguousarray(v.reshape(-1, len(distance)), np.float32) for v in (xs, ys))
    return [
        cv2.remap(p, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT).reshape(xs.shape).mean(axis=0)
        for p in tones
    ]


def _scale(profiles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return profiles scaled to a step of 1 (NaN where there is hardly any step), and the heights of their steps."""
    side = REACH - _PLATEAU + 1
    low = np.median(profiles[:, :side], axis=1, keepdims=True)
    step = np.median(profiles[:, -side:], axis=1, keepdims=True) - low
    return (profiles - low) / np.where(np.abs(step) > _LEAST_STEP, step, np.nan), np.abs(step[:, 0])


def edge_rise(patches: Sequence[np.ndarray]) -> float | None:
    """Return the 10-90 % rise of the strongest edges of patches (h x w x 3), in px; None without an edge."""
    found = [edges.profiles[0] for patch in patches if (edges := find_edges(patch, patch)) is not None]
    return rise_of(np.median(np.concatenate(found), axis=0)) if found else None


def rise_of(profile: np.ndarray, low: float = 0.1, high: float = 0.9) -> float:
    """Return the way, px, over which a profile with a step of 1 goes from one part of it to another.

    What lies before its lowest point on the dark side belongs to another edge, as on the far side of a line.
    """
    fine = np.linspace(0, len(profile) - 1, 20 * len(profile))
    lowest = int(np.argmin(profile[: len(profile) // 2 + 1]))
    profile = np.concatenate([np.full(lowest, profile[lowest]), profile[lowest:]])
    values = np.maximum.accumulate(np.interp(fine, np.arange(len(profile)), profile))
    first, last = (fine[np.searchsorted(values, level)] if values[-1] >= level else fine[-1] for level in (low, high))
    return float(last - first)


def overshoot_of(profiles: np.ndarray) -> float:
    """Return the median overshoot of unit-step profiles, (n, 2 * REACH + 1), on the worse side; a part of the step.

    The median is taken first: the extremes of single profiles would be those of their noise.
    """
    profile = np.median(profiles, axis=0)
    light = profile[REACH + 1 : REACH + 1 + NEAR].max() - 1
    dark = -profile[REACH - NEAR : REACH].min()
    return float(max(light, dark))
