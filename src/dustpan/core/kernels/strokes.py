"""Compiled loop that paints a stroke: the line through its points, as wide as the brush."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import kernel


@kernel("f8[:,::1], f8, i8, i8, f4[:,::1]")
def paint_stroke(points, softness, left, top, cover):
    """Paint the line through points into a plane, where it is more than what is there.

    Each pixel depends on its own place alone, so parts of a picture agree with the whole.

    Parameters
    ----------
    points : (n, 3) x, y and radius, px; one point is a dab.
    softness : 0 to 1, how much of the radius, from the rim inward, fades.
    left, top : of the plane in the picture, px.
    cover : (h, w) float32, 0 to 1, written.
    """
    height, width = cover.shape
    for n in range(max(points.shape[0] - 1, 1)):
        m = min(n + 1, points.shape[0] - 1)
        xa, ya, ra = points[n, 0], points[n, 1], points[n, 2]
        dx, dy, dr = points[m, 0] - xa, points[m, 1] - ya, points[m, 2] - ra
        square = dx * dx + dy * dy
        reach = max(ra, ra + dr) + 1.0
        low_y = max(int(np.floor(min(ya, ya + dy) - reach)) - top, 0)
        high_y = min(int(np.ceil(max(ya, ya + dy) + reach)) - top + 1, height)
        low_x = max(int(np.floor(min(xa, xa + dx) - reach)) - left, 0)
        high_x = min(int(np.ceil(max(xa, xa + dx) + reach)) - left + 1, width)
        for y in range(low_y, high_y):
            py = y + top + 0.5 - ya
            for x in range(low_x, high_x):
                px = x + left + 0.5 - xa
                part = 0.0
                if square > 0.0:
                    part = min(max((px * dx + py * dy) / square, 0.0), 1.0)
                away = np.sqrt((px - part * dx) ** 2 + (py - part * dy) ** 2)
                radius = max(ra + part * dr, 0.5)
                fade = max(softness * radius, 1.0)  # one pixel, so no rim is jagged
                inside = min(max((radius + 0.5 - away) / fade, 0.0), 1.0)
                value = np.float32(inside * inside * (3.0 - 2.0 * inside))
                if value > cover[y, x]:
                    cover[y, x] = value
