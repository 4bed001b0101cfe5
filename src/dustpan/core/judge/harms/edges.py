"""Edges: bright and dark halos beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.judge.harms.base import Harm

#: (n, 2 * reach + 1) profiles across edges scaled to a step of 1, before and after.
Profiles = tuple[np.ndarray, np.ndarray]

HALO = Harm("halo", "halo", 0.05, "halos of {size:.0f} % along edges", 100)

_REACH = 9  # px to both sides of an edge
_NEAR = 4  # px beside an edge in which it overshoots
_ALONG = 4  # px to both sides along an edge that are averaged
_PLATEAU = 6  # px from an edge where its plateau begins
_MOST_EDGES = 40  # of a patch
_MANY = 8  # profiles of a patch from which it is judged on its own
_STRONG = 0.5  # of the step of the strongest edges; weaker ones are not judged
_LEAST_SLOPE = 0.12  # of an edge, as a Sobel filter of tones gives it
_LEAST_STEP = 0.05  # tone


@dataclass(frozen=True, eq=False)
class Edges:
    """The strongest edges of a patch.

    Attributes
    ----------
    profiles : across them, before and after.
    steps : (n,) their heights before, in tone.
    """

    profiles: Profiles
    steps: np.ndarray

    def at_least(self, step: float) -> Profiles:
        """Return the profiles of edges of at least a step."""
        strong = self.steps >= step
        return self.profiles[0][strong], self.profiles[1][strong]


def combine_halo(patches: Sequence[Edges]) -> float | None:
    """Return the overshoot at the strongest edges, in the patch where it is worst; None without edges.

    Weak edges are left out: over what little step they have, texture beside them would pass for overshoot.
    """
    if not patches:
        return None
    least = _STRONG * float(np.quantile(np.concatenate([edges.steps for edges in patches]), 0.9))
    strong = [edges.at_least(least) for edges in patches]
    many = [halo_of([p]) for p in strong if len(p[0]) >= _MANY]
    return max((halo for halo in many if halo is not None), default=halo_of([p for p in strong if len(p[0])]))


def halo_of(profiles: Sequence[Profiles], *, before: bool = True) -> float | None:
    """Return the overshoot beside edges after the route, as a share of their step; None without edges.

    Parameters
    ----------
    profiles : of each patch, before and after.
    before : whether the overshoot before the route is subtracted; else the result may be below 0.
    """
    if not profiles:
        return None
    first, last = (_overshoot(np.concatenate([p[n] for p in profiles])) for n in (0, 1))
    return max(last - first, 0.0) if before else last


def _overshoot(profiles: np.ndarray) -> float:
    """Return the median overshoot of unit-step profiles, on the worse side.

    The median is taken first: the extremes of single profiles would be those of their noise.
    """
    profile = np.median(profiles, axis=0)
    light = profile[_REACH + 1 : _REACH + 1 + _NEAR].max() - 1
    dark = -profile[_REACH - _NEAR : _REACH].min()
    return float(max(light, dark))


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
    return Edges((first[sound], second[sound]), steps[sound]) if sound.any() else None


def _steepest_points(steep: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return rows and columns of the peaks of a slope, the steepest first."""
    inner = np.zeros_like(steep)
    rim = _REACH + _ALONG
    inner[rim:-rim, rim:-rim] = steep[rim:-rim, rim:-rim]
    top = cv2.dilate(inner, np.ones((5, 5), np.uint8))
    rows, columns = np.nonzero((inner == top) & (inner > max(0.5 * inner.max(initial=0.0), _LEAST_SLOPE)))
    order = np.argsort(-inner[rows, columns])[:_MOST_EDGES]
    return rows[order], columns[order]


def _sample_profiles(
    tones: Sequence[np.ndarray], rows: np.ndarray, columns: np.ndarray, direction: np.ndarray
) -> list[np.ndarray]:
    """Return (n, 2 * reach + 1) profiles of each plane across edges at points, averaged along the edges."""
    distance = np.arange(-_REACH, _REACH + 1, dtype=np.float32)
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
    side = _REACH - _PLATEAU + 1
    low = np.median(profiles[:, :side], axis=1, keepdims=True)
    step = np.median(profiles[:, -side:], axis=1, keepdims=True) - low
    return (profiles - low) / np.where(np.abs(step) > _LEAST_STEP, step, np.nan), np.abs(step[:, 0])
