"""Take a known blur back: damped Richardson-Lucy on a plane of light."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import cv2
import numpy as np

from dustpan.core.filters.planes import length_of
from dustpan.core.kernels.deconvolve import compare_predicted, correct, look_ahead, unit_slopes
from dustpan.core.work.cancel import Check, no_check

SHAPES = ("gaussian", "disc", "motion")
_REACH_OF_GAUSSIAN = 2.6  # deviations
_OF_PIXEL = 12**-0.5  # px, deviation of light over a pixel
_REACH_OF_TURNS = 20  # deviations of the blur, that all turns together look around
_LEAST, _TINY = np.float32(1e-4), np.float32(1e-6)  # light
_BARE, _AROUND = 7.0, 8  # deviations over the floor up to which a pixel is bare sky; px around that are counted
_KEPT, _KEPT_OF_BLUR = 4.0, 2.7  # px; deviations of the blur: the larger is that of the window in which light is kept
_MOST_CHANGED = (np.float32(0.8), np.float32(1.25))  # factor of what is found, to keep the light
_NOISE = 3.0  # deviations within which a difference may be noise
_SMOOTHING = np.float32(2e-3)  # weight of the total variation
_FLAT = np.float32(1e-3)  # light between neighbours that hardly counts as a slope
_ONE_WAY = 0.5, 0.8  # share of slopes that agree, from which and up to which they are an edge
_RINGING = 0.01  # of the step of an edge, that may overshoot it


#: Takes an (h, w) plane and returns it blurred.
Blur = Callable[[np.ndarray], np.ndarray]


def kernel_of(shape: str, radius: float, angle: float) -> np.ndarray:
    """Return a blur as a square kernel of odd side that sums to 1.

    Parameters
    ----------
    shape : gaussian (`radius` is its deviation), disc (its radius) or motion (half its length).
    radius : px.
    angle : of the motion, degrees from the horizontal, counterclockwise.
    """
    reach = reach_of(shape, radius)
    y, x = (np.mgrid[-reach * 8 - 3.5 : reach * 8 + 4, -reach * 8 - 3.5 : reach * 8 + 4]) / 8
    if shape == "gaussian":
        fine = np.exp(-(x * x + y * y) / (2 * radius**2))
    elif shape == "disc":
        fine = (x * x + y * y <= radius**2).astype(float)
    else:
        turn = np.radians(angle)
        along, across = x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)
        fine = np.clip(radius + 0.5 - np.abs(along), 0, 1) * np.clip(1 - np.abs(across), 0, 1)
    side = 2 * reach + 1
    kernel = fine.reshape(side, 8, side, 8).sum(axis=(1, 3))
    return (kernel / kernel.sum()).astype(np.float32)


def reach_of(shape: str, radius: float) -> int:
    """Return how far a blur looks, px."""
    return max(int(np.ceil(_REACH_OF_GAUSSIAN * radius if shape == "gaussian" else radius + 0.5)), 1)


def noise_kept(shape: str, radius: float, angle: float) -> float:
    """Return what part of the deviation of white noise a blur leaves."""
    return float(np.sqrt((kernel_of(shape, radius, angle) ** 2).sum()))


def spread_of(shape: str, radius: float) -> float:
    """Return the deviation of a blur along its longest axis, with that of the pixels it falls on, px."""
    return float(np.hypot(radius * {"gaussian": 1.0, "disc": 0.5, "motion": 3**-0.5}[shape], _OF_PIXEL))


def support_of(shape: str, radius: float) -> int:
    """Return how far the result looks, px: beyond `_REACH_OF_TURNS` deviations a pixel counts for nothing."""
    return int(np.ceil(_REACH_OF_TURNS * spread_of(shape, radius))) + 4 * reach_of(shape, radius) + _AROUND


def deconvolve(
    light: np.ndarray,
    noise: np.ndarray,
    *,
    shape: str,
    radius: float,
    angle: float,
    iterations: int,
    damping: float,
    check: Check = no_check,
) -> np.ndarray:
    """Return a plane of light with a blur taken back.

    Parameters
    ----------
    light : (h, w) float32 linear light, 0 and more.
    noise : (h, w) deviation that its noise has left once the plane is blurred by this blur.
    shape, radius, angle : see `kernel_of`.
    iterations : turns; more take more of the blur back.
    damping : 0 to 1; larger leaves differences alone that may be noise.
    check : called in each turn.

    Notes
    -----
    The first guess is the blurred plane, as noise that is finer than the blur would never leave a sharper one. Each
    turn compares what the guess predicts with the plane, both blurred, where noise is least: the differences that are
    within the noise are damped, and the total variation is held down a little, as rings beside edges and noise are
    what has most of it. It starts a little ahead on the way of the last two turns, by a factor that grows with
    the turns alone, so that tiles agree with the whole. Beside edges the result is held to what lies around. The floor
    between stars would give them more light than they have: in the end it is made what it was in each neighbourhood.

    References
    ----------
    Richardson, W. (1972), Bayesian-based iterative method of image restoration, doi 10.1364/JOSA.62.000055;
    Dey, N. and others (2006), Richardson-Lucy algorithm with total variation regularization for 3D confocal microscope
    deconvolution, doi 10.1002/jemt.20294;
    White, R. (1994), Image restoration using the damped Richardson-Lucy method, doi 10.1117/12.176819;
    Biggs, D. and Andrews, M. (1997), Acceleration of iterative image restoration algorithms, doi 10.1364/AO.36.001766.
    """
    reach = reach_of(shape, radius)
    blur = _blur_by(shape, radius, angle)
    data = np.maximum(np.ascontiguousarray(light, np.float32), _LEAST)
    noise = np.ascontiguousarray(noise, np.float32)
    calm = blur(data)
    room = np.maximum(np.float32(_NOISE * damping) * noise, _TINY)
    floor = _floor(calm, noise, reach)
    last = found = calm
    ratio, across, down = (np.empty_like(data) for _ in range(3))
    for turn in range(iterations):
        check()
        ahead = np.empty_like(found)
        look_ahead(found, last, np.float32(turn / (turn + 3)), _TINY, ahead)
        predicted = blur(ahead)
        compare_predicted(data, predicted, _LEAST, ratio)
        unit_slopes(ahead, _FLAT, across, down)
        correct(ahead, blur(ratio), predicted, room, floor, across, down, _SMOOTHING)
        last, found = found, ahead
    over = found - floor
    near = partial(_near, deviation=max(_KEPT, _KEPT_OF_BLUR * spread_of(shape, radius)))
    over *= np.clip(near(data - blur(floor)) / np.maximum(near(blur(over)), _LEAST), *_MOST_CHANGED)
    return _without_ringing(floor + over, data, calm, reach)


def _near(plane: np.ndarray, deviation: float) -> np.ndarray:
    """Return the mean of what lies near."""
    side = 2 * int(1.5 * deviation) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)


def _blur_by(shape: str, radius: float, angle: float) -> Blur:
    """Return the blur as a function of planes; all shapes are symmetric, so it is its own adjoint."""
    kernel = kernel_of(shape, radius, angle)
    if shape == "gaussian":
        line = kernel.sum(axis=0)
        return lambda plane: cv2.sepFilter2D(plane, -1, line, line, borderType=cv2.BORDER_REFLECT)
    return lambda plane: cv2.filter2D(plane, -1, kernel, borderType=cv2.BORDER_REFLECT)


def _floor(calm: np.ndarray, noise: np.ndarray, reach: int) -> np.ndarray:
    """Return what the result can't fall below: the sky between stars, so that none has a dark ring.

    It is 0 where most of what lies around stands out of it: in a picture with texture detail may well get darker.

    Parameters
    ----------
    calm : (h, w) light, blurred.
    noise : (h, w) deviation of its noise.
    """
    disc = np.ones((4 * reach + 1, 4 * reach + 1), np.uint8)  # wider than a star
    lowest = cv2.erode(calm, disc)
    bare = (calm - lowest < np.float32(_BARE) * noise).astype(np.float32)
    around = max(_AROUND, 3 * reach)
    share = cv2.GaussianBlur(bare, (4 * around + 1, 4 * around + 1), around)
    low = cv2.GaussianBlur(cv2.dilate(lowest, disc), (2 * reach + 1, 2 * reach + 1), reach / 2)
    return np.minimum(low, calm) * np.clip((share - np.float32(0.6)) / np.float32(0.2), 0, 1)


def _without_ringing(found: np.ndarray, data: np.ndarray, calm: np.ndarray, reach: int) -> np.ndarray:
    """Return a result that beside edges stays within the darkest and lightest around; lines and points stay as found.

    calm : the data, blurred.
    """
    disc = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    low, high = cv2.erode(data, disc), cv2.dilate(data, disc)
    room = np.float32(_RINGING) * (high - low)
    held = np.clip(found, low - room, high + room)
    return found + _beside_edge(calm, reach) * (held - found)


def _beside_edge(calm: np.ndarray, reach: int) -> np.ndarray:
    """Return 0 to 1, how far all slopes around each pixel point the same way: beside a line they do not."""
    slopes = cv2.Sobel(calm, cv2.CV_32F, 1, 0), cv2.Sobel(calm, cv2.CV_32F, 0, 1)
    side = 2 * reach + 1
    across, down, steep = (
        cv2.blur(cv2.blur(plane, (side, side)), (side, side)) for plane in (*slopes, length_of(*slopes))
    )
    share = length_of(across, down) / np.maximum(steep, np.float32(1e-9))
    return np.clip((share - np.float32(_ONE_WAY[0])) / np.float32(_ONE_WAY[1] - _ONE_WAY[0]), 0, 1)
