"""A detail picture: what is finer than a radius, cleaned of noise, to be laid over."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.filters.blend import LAWS

#: Law of the step -> law of `blend`.
OVERLAYS = {"gentle": "soft_light", "firm": "overlay", "full": "linear_light"}


def blur_reach(radius: float) -> int:
    """Return how far a blur of that deviation looks, px."""
    return int(np.ceil(2.6 * radius))


def finer_than(plane: np.ndarray, radius: float) -> np.ndarray:
    """Return what is finer than a radius (px) in an (h, w) plane or an h x w x 3 picture."""
    line = cv2.getGaussianKernel(2 * blur_reach(radius) + 1, radius, cv2.CV_32F)
    return plane - cv2.sepFilter2D(plane, -1, line, line, borderType=cv2.BORDER_REFLECT).reshape(plane.shape)


def steepened(detail: np.ndarray, radius: float, amount: float) -> np.ndarray:
    """Return a detail picture sharpened at its own radius by an unsharp mask; amount 0 to 1."""
    return detail + np.float32(amount) * finer_than(detail, radius)


def lay_detail(tile: np.ndarray, detail: np.ndarray, *, law: str, strength: float) -> np.ndarray:
    """Return a tile with a detail picture laid over it around mid grey.

    Parameters
    ----------
    tile : h x w x 3 working pixels.
    detail : the same shape, around 0.
    law : gentle, firm or full.
    strength : 0 to 2.
    """
    above = np.float32(0.5) + np.float32(strength) * detail
    if law != "full":
        above = np.clip(above, 0, 1)
    return LAWS[OVERLAYS[law]](tile, above)
