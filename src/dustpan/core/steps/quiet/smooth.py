"""Plain smoothing, for what is no noise: blotches left over, skies, coarse structure."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.smooth import deband_reach, gaussian, gaussian_reach, median, within_edges
from dustpan.core.steps.context import Context
from dustpan.core.steps.drafts import with_reduced_radius
from dustpan.core.steps.step_kind import StepKind

_FADES = 1.5  # times the threshold at which a difference is left alone altogether
_LEAST = 0.25  # px, radius under which a reduced picture shows nothing of it


@dataclass(frozen=True)
class SmoothParams(Params):
    """Settings of the smooth step."""

    method: str = param(
        "Method",
        "median",
        "Median takes specks and keeps steps; Gaussian is soft everywhere; edge keeping evens out what is nearly even.",
        choices=("median", "gaussian", "edge_keeping"),
    )
    radius: float = param("Radius", 4.0, "How far it looks around each pixel.", unit="px", low=0.5, high=64.0, step=0.5)
    threshold: float = param(
        "Threshold",
        0.0,
        "Larger differences than this are left alone; 0 smooths everything.",
        unit="%",
        low=0.0,
        high=100.0,
        step=0.5,
    )


class Smooth(StepKind):
    """Smooth every pixel alike, whatever its noise."""

    kind = "smooth"
    stage = "Quiet"
    order = 20
    label = "Smooth"
    help = "Smooths everything within a radius, noise or not; best kept to a place by its Where."
    params_type = SmoothParams

    def support(self, params, analysis):
        """Return how far the method looks: at most one and a half times the radius, and a little."""
        if params.method == "median":
            radius = int(np.ceil(params.radius))
            return radius + deband_reach(radius)
        return gaussian_reach(params.radius / 2) if params.method == "gaussian" else 2 * _window(params)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile smoothed; looks `support` px around."""
        smooth = _smoothed(tile, params)
        if params.threshold <= 0:
            return smooth
        off = smooth - tile
        return tile + off * _part_of(np.abs(off).max(axis=2, keepdims=True), params.threshold / 100)

    def scaled(self, params, level):
        """Shrink the radius."""
        return with_reduced_radius(params, level, least=_LEAST)

    def tell(self, params, analysis, found=None):
        """Return the method and its radius."""
        return f"{params.method.replace('_', ' ')}, {params.radius:g} px"

    def ease(self, params, harm, noise):
        """Look less far, and in the end not at all."""
        if harm not in ("flattened", "stars_lost", "worms"):
            return None
        return replace(params, radius=params.radius / 2) if params.radius >= 1 else params


def _smoothed(tile: np.ndarray, params: SmoothParams) -> np.ndarray:
    if params.method == "median":
        return median(tile, params.radius)
    return gaussian(tile, params.radius / 2) if params.method == "gaussian" else within_edges(tile, _window(params))


def _window(params: SmoothParams) -> int:
    return max(round(params.radius / 2), 1)


def _part_of(off: np.ndarray, threshold: float) -> np.ndarray:
    """Return which part of a change is made: all of a small one, none of one far over the threshold."""
    return np.clip((_FADES - off / np.float32(threshold)) / (_FADES - 1), 0, 1)


KIND = Smooth()
