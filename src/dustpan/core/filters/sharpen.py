"""Unsharp masking of one plane with gates against noise and worms, and limits to halos."""

from __future__ import annotations

import math

import cv2
import numpy as np

from dustpan.core.filters.tone import smooth_step

_FINEST = 0.5  # px, deviation of the blur that parts the finest octave from the rest
_TENSOR = 1.6  # px, over which directions are compared


def reach(radius: float) -> int:
    """Return how far, in pixels, `sharpen_plane` looks for a radius."""
    return max(math.ceil(4 * radius) + math.ceil(3 * _spread(radius)), 2 + math.ceil(4 * _TENSOR)) + 1


def _spread(radius: float) -> float:
    """Deviation of the blur over which the strength of detail is gathered, px."""
    return max(1.5, 0.6 * radius)


def detail_of(plane: np.ndarray, *, radius: float, finest: float) -> np.ndarray:
    """Return plane less its blur at `radius`, its finest octave scaled by `finest` (0 to 1)."""
    blurred = _blur(plane, radius)
    if finest >= 1:
        return plane - blurred
    middle = _blur(plane, min(_FINEST, 0.7 * radius))
    return np.float32(finest) * (plane - middle) + (middle - blurred)


def noise_gain(spectrum: np.ndarray, *, radius: float, finest: float) -> float:
    """Return how much of noise with a block spectrum (8, 8, relative deviations) `detail_of` lets through."""
    coarse, middle = (_response(r) for r in (radius, min(_FINEST, 0.7 * radius)))
    passed = finest * (1 - middle) + (middle - coarse) if finest < 1 else 1 - coarse
    power = spectrum**2
    return float(np.sqrt((power * passed**2).sum() / max(power.sum(), 1e-12)))


def _response(deviation: float) -> np.ndarray:
    """Return what the blur lets through at the frequencies of an 8 x 8 block's coefficients."""
    weights = cv2.getGaussianKernel(_side(deviation), deviation)[:, 0]
    offsets = np.arange(len(weights)) - len(weights) // 2
    line = np.cos(2 * np.pi * np.outer(np.arange(8) / 16, offsets)) @ weights
    return np.outer(line, line)


def gate_of(
    plane: np.ndarray,
    detail: np.ndarray,
    *,
    radius: float,
    noise: np.ndarray,
    noise_gate: float,
    threshold: float,
    edge_gate: float,
) -> np.ndarray:
    """Return shares (0 to 1) by which the detail of each place takes part.

    Parameters
    ----------
    plane, detail : (H, W) float32 tones and their detail.
    noise : (H, W) deviation of the noise in `detail`.
    noise_gate : deviations of noise under which detail is left out, 0 to 4; larger leaves more alone.
    threshold : tone under which detail is left out; larger leaves more alone.
    edge_gate : 0 to 1, how far detail without a direction is left out; larger leaves bare areas alone.
    """
    energy = np.sqrt(_blur(detail * detail, _spread(radius)))
    gate = np.ones_like(plane)
    if noise_gate > 0:
        relative = energy / np.maximum(noise, np.float32(1e-6))
        gate *= smooth_step(relative, 0.8 * noise_gate, 1.6 * noise_gate)
    if threshold > 0:
        gate *= smooth_step(energy, 0.3 * threshold, 1.2 * threshold)
    if edge_gate > 0:
        gate *= 1 - np.float32(edge_gate) * (1 - _directed(plane))
    return gate


def _directed(plane: np.ndarray) -> np.ndarray:
    """Return shares of how much a place has one direction (structure tensor; Bigun and Granlund 1987)."""
    soft = cv2.GaussianBlur(plane, (5, 5), 0.8, borderType=cv2.BORDER_REFLECT)
    across = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3, borderType=cv2.BORDER_REFLECT)
    down = cv2.Sobel(soft, cv2.CV_32F, 0, 1, ksize=3, borderType=cv2.BORDER_REFLECT)
    xx, yy, xy = (_blur(p, _TENSOR) for p in (across * across, down * down, across * down))
    return smooth_step(np.sqrt((xx - yy) ** 2 + 4 * xy * xy) / (xx + yy + np.float32(1e-9)), 0.2, 0.6)


def hold_halos(plane: np.ndarray, sharpened: np.ndarray, *, radius: float, light: float, dark: float) -> np.ndarray:
    """Let the result pass the neighbourhood's lightest and darkest only by a part.

    light, dark : 0 to 1; the part of the overshoot that is allowed is their square (0 none, 1 all).
    """
    side = 2 * math.ceil(2 * radius) + 1
    window = np.ones((side, side), np.uint8)
    top = cv2.dilate(plane, window, borderType=cv2.BORDER_REFLECT)
    floor = cv2.erode(plane, window, borderType=cv2.BORDER_REFLECT)
    over, under = np.maximum(sharpened - top, 0), np.maximum(floor - sharpened, 0)
    return sharpened - np.float32(1 - light**2) * over + np.float32(1 - dark**2) * under


def _side(deviation: float) -> int:
    return 2 * math.ceil((4 if deviation < 3 else 3) * deviation) + 1


def _blur(plane: np.ndarray, deviation: float) -> np.ndarray:
    side = _side(deviation)
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)
