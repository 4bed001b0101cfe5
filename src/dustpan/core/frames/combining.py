"""Combine frames that lie over one another into one picture, a band of rows at a time."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.kernels.stack import clipped_mean, middle_and_spread, ranked_mean

METHODS = ("average", "median", "sigma_clip", "winsorised", "percentile")
HALO = 4  # rows around a band that its spread is measured in
_TURNS = 6
_POOL = 9  # px, within which the spread of a pixel is that of its neighbours
_OWN = 0.75  # of its own spread that a pixel may have at least: stars twinkle
_EDGE = 1.5  # spreads beyond which values are drawn in, for a winsorised spread
_OF_DRAWN_IN = 1.134  # true deviation of a normal law beside that of its drawn in values


@dataclass(frozen=True)
class Method:
    """How the values of a pixel become one.

    Attributes
    ----------
    name : one of `METHODS`.
    kappa : spreads from the middle at which a value is left out.
    low, high : parts of the ranks between which values are averaged, for "percentile".
    """

    name: str = "sigma_clip"
    kappa: float = 2.5
    low: float = 0.25
    high: float = 0.75


@dataclass(frozen=True, eq=False)
class Combined:
    """Some rows of the result.

    Attributes
    ----------
    light : h x w x channels, 0 where no frame reaches.
    rejected : (h, w) share of the values that were left out as outliers; 0 for methods that do not look for any.
    by_frame : (frames,) values left out of each.
    """

    light: np.ndarray
    rejected: np.ndarray
    by_frame: np.ndarray


def combine(stack: np.ndarray, weights: np.ndarray, method: Method) -> Combined:
    """Return frames combined.

    Parameters
    ----------
    stack : frames x h x w x channels float32, NaN where a frame does not reach.
    weights : (frames,), larger counts more; not used by a median.

    References
    ----------
    Huber, P. J. and Ronchetti, E. M. (2009), Robust statistics, doi 10.1002/9780470434697: winsorised deviations.
    """
    count, *shape = stack.shape
    flat = np.require(stack.reshape(count, -1), np.float32, ("C", "W"))
    weights = np.require(weights, np.float32, ("C", "W"))
    light, rejected = np.empty(flat.shape[1], np.float32), np.zeros(flat.shape[1], np.int32)
    by_frame = np.zeros(count, np.int32)
    if method.name in ("average", "median", "percentile"):
        low, high = {"average": (0.0, 1.0), "median": (0.5, 0.5)}.get(method.name, (method.low, method.high))
        ranked_mean(flat, weights, np.float32(low), np.float32(high), light, rejected)
        rejected[:] = 0
    else:
        middle, spread = (np.empty(flat.shape[1], np.float32) for _ in range(2))
        middle_and_spread(flat, weights, middle, spread)
        if method.name == "winsorised":
            spread = _drawn_in(flat, middle, spread)
        spread = _pooled(spread.reshape(shape)).ravel()
        clipped_mean(flat, weights, middle, spread, np.float32(method.kappa), _TURNS, light, rejected, by_frame)
    share = rejected.reshape(shape).max(axis=2) / np.float32(count)
    return Combined(np.nan_to_num(light.reshape(shape)), share.astype(np.float32), by_frame)


def _drawn_in(flat: np.ndarray, middle: np.ndarray, spread: np.ndarray) -> np.ndarray:
    """Return deviations in which far values count as nearer ones."""
    for _ in range(3):
        reach = np.float32(_EDGE) * spread
        inside = np.clip(flat, middle - reach, middle + reach)
        spread = np.float32(_OF_DRAWN_IN) * np.nanstd(inside, axis=0)
    return np.nan_to_num(spread).astype(np.float32)


def _pooled(spread: np.ndarray) -> np.ndarray:
    """Return spreads as their neighbours have them: that of a few values alone is unreliable."""
    known = np.nan_to_num(spread)
    mean = cv2.blur(known, (_POOL, _POOL), borderType=cv2.BORDER_REFLECT)
    return np.maximum(mean.reshape(spread.shape), np.float32(_OWN) * known).astype(np.float32)
