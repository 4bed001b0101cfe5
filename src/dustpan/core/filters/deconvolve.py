"""Take a known blur back: damped Richardson-Lucy on a plane of light."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import partial

import cv2
import numpy as np

from dustpan.core.kernels.deconvolve import compare_told, look_ahead
from dustpan.core.picture.region import Ends

SHAPES = ("gaussian", "disc", "motion")
_REACH_OF_GAUSSIAN = 2.6  # deviations
_MOST_REACH = 66  # px that all turns together look around; a few more for the limits beside edges
_DIRECT = 10  # px, largest side of a kernel that is worked directly: larger ones go by a transform of the whole tile
_ALIGN = 8  # px; only whole multiples are cut off, so that a pixel is worked by the same instructions in every tile
_LEAST, _TINY = np.float32(1e-4), np.float32(1e-6)  # light
_GROUND = 4  # px, of the window in which the darkest is looked for
_BARE, _AROUND = 6.0, 8  # deviations over the floor up to which a pixel is bare sky; px around that are counted
_KEPT, _KEPT_REACH = 4.0, 6  # px, of the window in which light is kept; where it ends
_MOST_CHANGED = (np.float32(0.8), np.float32(1.25))  # factor of what is found, to keep the light
_NOISE = 3.0  # deviations within which a difference may be noise
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


def turns_of(shape: str, radius: float, iterations: int) -> int:
    """Return how many turns are worked: no step may look farther than 104 px, and each turn looks twice the blur."""
    return max(min(iterations, _MOST_REACH // (2 * reach_of(shape, radius))), 1)


def support_of(shape: str, radius: float, iterations: int) -> int:
    """Return how far the result looks, px."""
    reach = reach_of(shape, radius)
    return 2 * reach * turns_of(shape, radius, iterations) + 3 * min(reach, _GROUND) + 2 * _AROUND + _KEPT_REACH + 4


def deconvolve(
    light: np.ndarray,
    sigma: np.ndarray,
    *,
    shape: str,
    radius: float,
    angle: float,
    iterations: int,
    damping: float,
    ends: Ends = (True, True, True, True),
) -> np.ndarray:
    """Return a plane of light with a blur taken back.

    Parameters
    ----------
    light : (h, w) float32 linear light, 0 and more.
    sigma : (h, w) deviation of its noise.
    shape, radius, angle : see `kernel_of`.
    iterations : turns at most; wide blurs are given fewer, see `turns_of`.
    damping : 0 to 1; larger leaves differences alone that may be noise.
    ends : whether the picture ends at the left, top, right and lower side; within `support_of` of another side the
        result is worth nothing.

    Notes
    -----
    Each turn starts a little ahead on the way of the last two, by a factor that grows with the turns alone, so that
    parts of a picture agree with the whole. Beside edges the result is held to what lies around. The floor and damping
    would give stars more light than they have: in the end it is made what it was in each neighbourhood.

    What lacks neighbours after a turn is not worked in the next.

    References
    ----------
    Richardson, W. (1972), Bayesian-based iterative method of image restoration, doi 10.1364/JOSA.62.000055;
    White, R. (1994), Image restoration using the damped Richardson-Lucy method, doi 10.1117/12.176819;
    Biggs, D. and Andrews, M. (1997), Acceleration of iterative image restoration algorithms, doi 10.1364/AO.36.001766.
    """
    reach, turns = reach_of(shape, radius), turns_of(shape, radius, iterations)
    blur = _blur_by(shape, radius, angle)
    light, sigma = (np.asarray(plane, np.float32) for plane in (light, sigma))
    data = np.maximum(light, _LEAST)
    room = np.maximum(np.float32(_NOISE * damping) * sigma, np.float32(1e-7))
    ground = _ground(data, sigma, reach)
    under = blur(ground)
    found = np.maximum(data - ground, _LEAST)
    rims = [2 * reach * (turn + 1) // _ALIGN * _ALIGN for turn in range(turns)]
    found = _in_turns(found, data, under, room, blur, rims=rims, ends=ends)
    inner = partial(_without_rim, rim=rims[-1], ends=ends)
    data, ground, under = inner(data), inner(ground), inner(under)
    told = np.maximum(blur(found), _LEAST)
    found = found * np.clip(_near(data - under) / np.maximum(_near(told), _LEAST), *_MOST_CHANGED)
    result = light.copy()
    inner(result)[:] = _without_ringing(found + ground, data, reach)
    return result


def _in_turns(
    found: np.ndarray, data: np.ndarray, under: np.ndarray, room: np.ndarray, blur: Blur, *, rims: list[int], ends: Ends
) -> np.ndarray:
    """Return what lies over the ground after as many turns as there are rims.

    rims : px at the sides where the picture goes on, that are given up after each turn, counted from the first.
    """
    last = found
    for turn, (before, rim) in enumerate(itertools.pairwise([0, *rims])):
        ahead, ratio = np.empty_like(found), np.empty_like(found)
        look_ahead(found, last, np.float32(turn / (turn + 3)), _TINY, ahead)
        compare_told(data, blur(ahead), under, room, _LEAST, ratio)
        ahead *= blur(ratio)
        inner = partial(_without_rim, rim=rim - before, ends=ends)
        last, found, data, under, room = (inner(plane) for plane in (found, ahead, data, under, room))
    return found


def _without_rim(plane: np.ndarray, rim: int, ends: Ends) -> np.ndarray:
    """Return a plane without a rim at the sides where the picture goes on."""
    height, width = plane.shape
    left, top, right, bottom = (0 if end else rim for end in ends)
    return plane[top : height - bottom, left : width - right]


def _near(plane: np.ndarray) -> np.ndarray:
    """Return the mean of what lies near."""
    taps = (2 * _KEPT_REACH + 1, 2 * _KEPT_REACH + 1)
    return cv2.GaussianBlur(plane, taps, _KEPT, borderType=cv2.BORDER_REFLECT)


def _blur_by(shape: str, radius: float, angle: float) -> Blur:
    """Return the blur as a function of planes; all shapes are symmetric, so it is its own adjoint."""
    kernel = kernel_of(shape, radius, angle)
    if shape == "gaussian":
        line = kernel.sum(axis=0)
        return lambda plane: cv2.sepFilter2D(plane, -1, line, line, borderType=cv2.BORDER_REFLECT)
    return lambda plane: _in_pieces(plane, kernel)


def _in_pieces(plane: np.ndarray, kernel: np.ndarray) -> np.ndarray:
    """Return a plane filtered by a kernel of any size, in pieces small enough to be worked directly."""
    reach, (height, width) = kernel.shape[0] // 2, plane.shape
    padded = cv2.copyMakeBorder(plane, reach, reach, reach, reach, cv2.BORDER_REFLECT)
    total = np.zeros_like(plane)
    for y in range(0, len(kernel), _DIRECT):
        for x in range(0, len(kernel), _DIRECT):
            piece = kernel[y : y + _DIRECT, x : x + _DIRECT]
            if not piece.any():
                continue
            part = padded[y : y + height + piece.shape[0] - 1, x : x + width + piece.shape[1] - 1]
            total += cv2.filter2D(part, -1, piece, anchor=(0, 0), borderType=cv2.BORDER_REFLECT)[:height, :width]
    return total


def _ground(data: np.ndarray, sigma: np.ndarray, reach: int) -> np.ndarray:
    """Return a floor that the result can't fall below: the sky between stars, so that none has a dark ring.

    It is 0 where most of what lies around stands out of it: in a picture with texture detail may well get darker.
    """
    window = min(reach, _GROUND)
    disc = np.ones((2 * window + 1, 2 * window + 1), np.uint8)
    low = cv2.dilate(cv2.erode(data, disc), disc)
    low = np.minimum(cv2.GaussianBlur(low, (2 * window + 1, 2 * window + 1), window / 2), data)
    bare = (data - low < np.float32(_BARE) * sigma).astype(np.float32)
    share = cv2.GaussianBlur(bare, (4 * _AROUND + 1, 4 * _AROUND + 1), _AROUND)
    return low * np.clip((share - np.float32(0.6)) / np.float32(0.2), 0, 1)


def _without_ringing(found: np.ndarray, data: np.ndarray, reach: int) -> np.ndarray:
    """Return a result that beside edges stays within the darkest and lightest around; points of light stay as found."""
    window = min(reach, 4)
    disc = np.ones((2 * window + 1, 2 * window + 1), np.uint8)
    low, high = cv2.erode(data, disc), cv2.dilate(data, disc)
    room = np.float32(_RINGING) * (high - low)
    held = np.clip(found, low - room, high + room)
    across, down = cv2.Sobel(data, cv2.CV_32F, 1, 0), cv2.Sobel(data, cv2.CV_32F, 0, 1)
    a, b, c = (cv2.GaussianBlur(p, (9, 9), 2.0) for p in (across * across, down * down, across * down))
    spread = np.sqrt(((a - b) / 2) ** 2 + c * c)
    coherence = np.clip((2 * spread / np.maximum(a + b, 1e-12) - 0.5) / 0.3, 0, 1)
    return found + coherence * (held - found)
