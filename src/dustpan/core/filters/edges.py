"""Edges and flat places of a picture, noise left out."""

from __future__ import annotations

import cv2
import numpy as np

_FINE, _WINDOW = 1.0, 1.6  # px, deviations of the derivative and of the window that gathers it
_OF_STEP = 0.4  # slope of a step of 1 under that derivative
_AGAINST = 3.0  # times the energy across, that the energy along a direction must exceed: noise has no direction
_BROAD = 4.0  # px, deviation of the window in which unrest is measured
EDGE_SUPPORT, UNREST_SUPPORT = 9, 20  # px that both look around


def edge_steps(tone: np.ndarray) -> np.ndarray:
    """Return (h, w) heights of the steps that lie at each pixel, as far as their slopes agree in direction.

    tone : (h, w) float32; the outer `EDGE_SUPPORT` px lack neighbours.

    References
    ----------
    Förstner, W. and Gülch, E. (1987), A fast operator for detection and precise location of distinct points, corners
        and centres of circular features, ISPRS Intercommission Workshop, Interlaken: the structure tensor.
    """
    across, down = (_derivative(tone, axis) for axis in (0, 1))
    parts = [_gathered(a * b) for a, b in ((across, across), (down, down), (across, down))]
    mean, half = (parts[0] + parts[1]) / 2, (parts[0] - parts[1]) / 2
    spread = np.sqrt(half * half + parts[2] * parts[2])
    coherent = (mean + spread) - np.float32(_AGAINST) * (mean - spread)
    return np.sqrt(np.maximum(coherent, 0)) * np.float32(_NARROWED / _OF_STEP)


#: A step's slope is gathered over a window wider than itself; this brings its height back.
_NARROWED = ((_FINE**2 / 2 + _WINDOW**2) / (_FINE**2 / 2)) ** 0.25


def unrest(tone: np.ndarray) -> np.ndarray:
    """Return (h, w) deviation of the middle frequencies around each pixel; looks `UNREST_SUPPORT` px around."""
    rest = _blurred(tone, 0.8) - _blurred(tone, _BROAD)
    return np.sqrt(np.maximum(_blurred(rest * rest, _BROAD), 0))


def _derivative(tone: np.ndarray, axis: int) -> np.ndarray:
    at = np.arange(-4, 5, dtype=np.float32)
    bell = np.exp(-(at**2) / (2 * _FINE**2))
    bell /= bell.sum()
    slope = bell * at / _FINE**2
    kernels = (slope, bell) if axis == 0 else (bell, slope)
    return cv2.sepFilter2D(tone, -1, *kernels, borderType=cv2.BORDER_REFLECT)


def _gathered(plane: np.ndarray) -> np.ndarray:
    return cv2.GaussianBlur(plane, (11, 11), _WINDOW, borderType=cv2.BORDER_REFLECT)


def _blurred(plane: np.ndarray, deviation: float) -> np.ndarray:
    side = 2 * int(np.ceil(2.5 * deviation)) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)


def widened(cover: np.ndarray, width: float, softness: float) -> np.ndarray:
    """Return a cover grown by half a width, px, and softened by that part of it; looks `widened_support` around."""
    reach = round(width / 2)
    if reach:
        y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        cover = cv2.dilate(cover, (y * y + x * x <= (width / 2 + 0.3) ** 2).astype(np.uint8))
    deviation = softness * max(width, 1.0) / 2
    return _blurred(cover, deviation) if deviation > 0.2 else cover


def widened_support(width: float, softness: float) -> int:
    """Return how far `widened` looks, px."""
    return round(width / 2) + int(np.ceil(2.5 * softness * max(width, 1.0) / 2)) + 1
