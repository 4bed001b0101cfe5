"""Unsharp masking of one plane with gates against noise and worms, and limits to halos."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
import scipy

from dustpan.core.filters.edge_profiles import rise_of
from dustpan.core.kernels.pixelwise import add_detail

_FINEST = 0.5  # px, deviation of the blur that separates the finest octave from the rest
_HALF_EDGE, _STEP = 40, 0.4  # px and tone of the edge that amounts are measured on
_NEAR_ENOUGH = 0.02  # of an amount
_QUANTILE_RISE = 2.563  # 10-90 % rise of an edge under a gaussian blur of deviation 1


def reach(radius: float) -> int:
    """Return how far, in pixels, `sharpen_plane` looks for a radius."""
    return max(math.ceil(4 * radius), 3) + math.ceil(4 * _spread(radius)) + 1


def _spread(radius: float) -> float:
    """Deviation of the blur over which strength and direction of detail are gathered, px."""
    return max(1.6, 0.6 * radius)


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


@dataclass(frozen=True)
class Sharpening:
    """How a plane is sharpened.

    Attributes
    ----------
    amount : 0 to 5, how many times its detail is added.
    radius : 0.2 to 10 px, size of the detail.
    finest : 0 to 1, the finest octave's part in it.
    noise_gate : deviations of noise under which detail is left out, 0 to 4; larger leaves more alone.
    threshold : tone under which detail is left out; larger leaves more alone.
    edge_gate : 0 to 1, how far detail without a direction is left out; larger leaves bare areas alone.
    halo_light, halo_dark : 0 (none) to 1 (all); the part allowed of what passes the lightest and darkest of the
        neighbourhood is their square.
    """

    amount: float
    radius: float
    finest: float
    noise_gate: float
    threshold: float
    edge_gate: float
    halo_light: float
    halo_dark: float


def sharpen_plane(plane: np.ndarray, sharpening: Sharpening, *, noise: np.ndarray) -> np.ndarray:
    """Return what sharpening adds to a plane.

    Parameters
    ----------
    plane : (H, W) float32 tones.
    noise : (H, W) deviation of the noise in the detail.

    Returns
    -------
    (H, W) float32, to be added. Looks `reach(radius)` around.

    Notes
    -----
    Direction comes from the structure tensor. The lightest and darkest of a neighbourhood are looked for behind a
    slight blur: single pixels of noise would allow halos of their own size.

    References
    ----------
    Bigun, J. and Granlund, G. (1987), Optimal orientation detection of linear symmetry, ICCV, 433-438.
    """
    plane = np.require(plane, np.float32, ("C", "W"))
    radius = sharpening.radius
    detail = detail_of(plane, radius=radius, finest=sharpening.finest)
    soft = _softened(plane)
    around = _surroundings(soft, detail, radius)
    side = 2 * math.ceil(2 * radius) + 1
    window = np.ones((side, side), np.uint8)
    top = cv2.dilate(soft, window, borderType=cv2.BORDER_REFLECT)
    floor = cv2.erode(soft, window, borderType=cv2.BORDER_REFLECT)
    added = np.empty_like(plane)
    settings = _kernel_settings(sharpening)
    add_detail(plane, detail, around, np.require(noise, np.float32, ("C", "W")), top, floor, settings, added)
    return added


def gate_of(plane: np.ndarray, sharpening: Sharpening, *, noise: np.ndarray) -> np.ndarray:
    """Return the share (H, W), 0 to 1, of each pixel's detail that `sharpen_plane` lets through."""
    detail = detail_of(plane, radius=sharpening.radius, finest=sharpening.finest)
    around = _surroundings(_softened(plane), detail, sharpening.radius)
    gate, none = np.empty_like(plane), np.zeros_like(plane)
    unit, far = np.ones_like(plane), np.full_like(plane, 1e6)
    settings = _kernel_settings(replace(sharpening, amount=1.0, halo_light=1.0, halo_dark=1.0))
    add_detail(none, unit, around, np.require(noise, np.float32, ("C", "W")), far, none, settings, gate)
    return gate


def _kernel_settings(sharpening: Sharpening) -> np.ndarray:
    """Return the settings as `add_detail` takes them."""
    gates = [sharpening.noise_gate, sharpening.threshold, sharpening.edge_gate]
    return np.array([sharpening.amount, *gates, sharpening.halo_light**2, sharpening.halo_dark**2], np.float32)


def _softened(plane: np.ndarray) -> np.ndarray:
    """Return a plane blurred so far that single pixels of noise do not count."""
    return cv2.GaussianBlur(plane, (5, 5), 0.8, borderType=cv2.BORDER_REFLECT)


def _surroundings(soft: np.ndarray, detail: np.ndarray, radius: float) -> np.ndarray:
    """Return (H, W, 4): direction of the slopes of a softened plane and energy of its detail, gathered around."""
    across = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3, borderType=cv2.BORDER_REFLECT)
    down = cv2.Sobel(soft, cv2.CV_32F, 0, 1, ksize=3, borderType=cv2.BORDER_REFLECT)
    return _blur(cv2.merge([across * across, down * down, across * down, detail * detail]), _spread(radius))


def _side(deviation: float) -> int:
    return 2 * math.ceil((4 if deviation < 3 else 3) * deviation) + 1


def _blur(plane: np.ndarray, deviation: float) -> np.ndarray:
    side = _side(deviation)
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)


@lru_cache(maxsize=64)
def amount_to_steepen(rise: float, sharpening: Sharpening, *, by: float) -> float:
    """Return the amount, 0 to 5, that makes an edge's 10-90 % rise (px) shorter by a part; 5 where none does.

    Told on an edge without noise, as soft as a gaussian blur makes it.
    """
    at = np.arange(-_HALF_EDGE, _HALF_EDGE + 1, dtype=np.float64)
    profile = 0.5 + _STEP / 2 * scipy.special.erf(at * _QUANTILE_RISE / (rise * np.sqrt(2)))
    plane = np.repeat(profile.astype(np.float32)[None], _HALF_EDGE, axis=0)
    quiet = np.zeros_like(plane)

    def left(amount: float) -> float:
        added = sharpen_plane(plane, replace(sharpening, amount=amount), noise=quiet)
        return rise_of((plane + added)[_HALF_EDGE // 2] / _STEP - (0.5 / _STEP - 0.5)) / rise - (1 - by)

    low, high = 0.0, 5.0
    if not left(high) < 0 < left(low):
        return high
    while high - low > _NEAR_ENOUGH:  # `scipy.optimize` takes a fifth of a second to import
        middle = (low + high) / 2
        low, high = (low, middle) if left(middle) < 0 else (middle, high)
    return (low + high) / 2
