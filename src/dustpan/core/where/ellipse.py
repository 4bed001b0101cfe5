"""An ellipse: full inside, falling off toward its rim."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.tone import smooth_step
from dustpan.core.where.part_kind import DrawnKind, pull


@dataclass(frozen=True)
class EllipseParams(Params):
    """Settings of an ellipse; places in parts of the picture's width and height."""

    cx: float = param(
        "Across", 0.5, "Where its middle is, from left to right.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    cy: float = param(
        "Down", 0.5, "Where its middle is, from top to bottom.", low=-1.0, high=2.0, step=0.01, narrow=True
    )
    rx: float = param(
        "Half width",
        0.25,
        "Half its width, in parts of the picture's width.",
        low=0.005,
        high=2.0,
        step=0.01,
        narrow=True,
    )
    ry: float = param(
        "Half height",
        0.25,
        "Half its height, in parts of the picture's height.",
        low=0.005,
        high=2.0,
        step=0.01,
        narrow=True,
    )
    angle: float = param("Turn", 0.0, "Turns it clockwise.", unit="deg", low=-180.0, high=180.0, step=1.0)
    softness: float = param(
        "Softness", 0.5, "How much of it, from the rim inward, fades.", low=0.0, high=1.0, step=0.02
    )
    pull: float = pull()


class Ellipse(DrawnKind):
    """Cover an ellipse, turned in pixels."""

    kind = "ellipse"
    order = 10
    label = "Ellipse"
    help = "An ellipse drawn on the picture."
    params_type = EllipseParams

    def draw(self, region, params, size):
        """Return shares: 1 from the middle to where the fading begins, 0 from the rim on."""
        x0, y0, x1, y1 = region
        width, height = size
        x = (np.arange(x0, x1, dtype=np.float32) + 0.5 - params.cx * width)[None, :]
        y = (np.arange(y0, y1, dtype=np.float32) + 0.5 - params.cy * height)[:, None]
        turn = np.deg2rad(params.angle)
        along = (x * np.cos(turn) + y * np.sin(turn)) / (params.rx * width)
        across = (y * np.cos(turn) - x * np.sin(turn)) / (params.ry * height)
        radius = np.hypot(along, across)
        hair = 1.0 / max(min(params.rx * width, params.ry * height), 1.0)  # one pixel, so no rim is jagged
        return (1 - smooth_step(radius, 1 - max(params.softness, hair), 1.0)).astype(np.float32)


KIND = Ellipse()
