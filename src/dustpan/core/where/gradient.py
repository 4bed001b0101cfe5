"""A gradient: full on one side of a band, nothing on the other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.part_kind import DrawnKind, pull


@dataclass(frozen=True)
class GradientParams(Params):
    """Settings of a gradient; places in parts of the picture's width and height."""

    x0: float = param(
        "Full, across", 0.5, "Where it is still full, from left to right.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    y0: float = param(
        "Full, down", 0.3, "Where it is still full, from top to bottom.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    x1: float = param(
        "None, across", 0.5, "Where nothing is left, from left to right.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    y1: float = param(
        "None, down", 0.7, "Where nothing is left, from top to bottom.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    pull: float = pull()


class Gradient(DrawnKind):
    """Cover one side of the picture, fading along a line."""

    kind = "gradient"
    order = 20
    label = "Gradient"
    help = "Full on one side, nothing on the other, fading between two points."
    params_type = GradientParams

    def draw(self, region, params, size):
        """Return shares: 1 before the first point, 0 behind the second, measured in pixels along their line."""
        x0, y0, x1, y1 = region
        start = np.array([params.x0 * size[0], params.y0 * size[1]])
        way = np.array([params.x1 * size[0], params.y1 * size[1]]) - start
        length = max(float(np.hypot(*way)), 1e-3)
        x = (np.arange(x0, x1) + 0.5 - start[0])[None, :]
        y = (np.arange(y0, y1) + 0.5 - start[1])[:, None]
        along = (x * way[0] + y * way[1]) / length
        return (1 - smooth_step(along, 0.0, max(length, 1.0))).astype(np.float32)


KIND = Gradient()
