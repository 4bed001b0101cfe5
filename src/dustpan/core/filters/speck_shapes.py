"""What specks look like: a small network that tells them from texture, and what they have added to the picture.

Texture has peaks of one pixel as well; what sets a speck apart is how all of its surroundings look. The network was
shown many of both, in photographs with hot pixels of known size put on them (`training/specks.py`).
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib import resources

import cv2
import numpy as np

from dustpan.core.filters.colour import highest_channel

Weights = Mapping[str, np.ndarray]

SIDE, TOUCHED = 9, 5  # px: of the surroundings looked at, and of what a speck can have touched
_WINDOW = 33  # px, side of the square in which fine detail is counted
_DETAIL = np.array([8, 16, 32, 64, 128], np.float32) / 255  # sizes of detail that are counted
_FILE = "specks.npz"
_AT_ONCE = 4096
_LEAST_TOUCH = 0.03  # of the peak's height, that a speck has added to a pixel which it has touched
_TAUGHT = -2.0  # logarithm of the odds that any peak is a speck, that makes the network's own odds right
_COMMON, _TURNS = (-6.0, 0.0), 60  # least and most that is added to odds; turns until that settles
_LARGEST = 3.0  # times the peak, that surroundings are held to


def count_detail(tile: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Return (n, 5) shares of the pixels around points that differ from their nearest ones by some sizes or more.

    Where there are many, one more is no speck.
    """
    rest = highest_channel(cv2.absdiff(tile, cv2.medianBlur(tile, 5)))
    rim = _WINDOW // 2
    wide = cv2.copyMakeBorder(rest, rim, rim, rim, rim, cv2.BORDER_REFLECT)
    (top, left), (bottom, right) = points.T, points.T + _WINDOW
    counts = np.empty((len(points), len(_DETAIL)), np.float32)
    for index, size in enumerate(_DETAIL):
        sums = cv2.integral((wide > size).view(np.uint8))
        counts[:, index] = sums[bottom, right] - sums[top, right] - sums[bottom, left] + sums[top, left]
    return counts * np.float32(1 / _WINDOW**2)


def describe(patches: np.ndarray, sigma: np.ndarray, detail: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return the network's inputs, and the height of each peak.

    Parameters
    ----------
    patches : (n, 9, 9, 3) working pixels around a peak; those around a dark one are negative.
    sigma : (n, 3) deviation of each channel's noise.
    detail : (n, 5), see `count_detail`.

    Returns
    -------
    (n, 259) float32: the surroundings less their medians in units of the peak's height, what that is in units of the
    noise, and how much fine detail there is. (n,) the height, working values.
    """
    flat = patches.reshape(len(patches), SIDE * SIDE, 3)
    rest = flat - np.median(flat, axis=1, keepdims=True)
    centre = rest[:, SIDE * SIDE // 2]
    height = np.maximum(centre.max(axis=1), 1e-3)
    scaled = np.clip(rest / height[:, None, None], -_LARGEST, _LARGEST)
    spread = np.median(np.abs(rest), axis=1) / height[:, None]
    facts = [np.log(height[:, None] * 12), np.log(height[:, None] / sigma.max(axis=1, keepdims=True)), spread]
    clipped = np.minimum(1 - np.abs(flat[:, SIDE * SIDE // 2]).max(axis=1, keepdims=True), 1)
    more = [np.log(detail + 1e-3), (detail * (height[:, None] < 1.5 * _DETAIL)).sum(axis=1, keepdims=True)]
    inputs = np.concatenate([scaled.reshape(len(patches), SIDE * SIDE * 3), *facts, clipped, *more], axis=1)
    return inputs.astype(np.float32), height.astype(np.float32)


def tell_odds(
    patches: np.ndarray, sigma: np.ndarray, detail: np.ndarray, *, weights: Weights | None = None
) -> np.ndarray:
    """Return how likely each peak is a speck, (n,) logarithms of odds.

    The inputs are those of `describe`; `weights` are the shipped ones unless others are given.
    """
    weights = _weights() if weights is None else weights
    odds = np.empty(len(patches), np.float32)
    for part in _parts(len(patches)):
        inputs, _ = describe(patches[part], sigma[part], detail[part])
        odds[part] = _run(inputs, "odds", weights)[:, 0]
    return odds


def tell_added(patches: np.ndarray, sigma: np.ndarray, detail: np.ndarray) -> np.ndarray:
    """Return what peaks have added if they are specks, (n, 5, 5, 3); the inputs are those of `describe`.

    Notes
    -----
    One half of the network tells what was added; the other what a pixel would be without, beside the median of the
    surroundings, which is surer where much was added.
    """
    added = np.empty((len(patches), TOUCHED, TOUCHED, 3), np.float32)
    rim = (SIDE - TOUCHED) // 2
    for part in _parts(len(patches)):
        inputs, height = describe(patches[part], sigma[part], detail[part])
        told = (_run(inputs, "added", _weights()) * height[:, None]).reshape(-1, 2, TOUCHED, TOUCHED, 3)
        flat = patches[part].reshape(-1, SIDE * SIDE, 3)
        excess = patches[part][:, rim:-rim, rim:-rim] - np.median(flat, axis=1)[:, None, None]
        touched = np.abs(told[:, 0]) > _LEAST_TOUCH * height[:, None, None, None]
        added[part] = np.where(touched, excess - told[:, 1], 0)
    return added


def _parts(count: int) -> list[slice]:
    return [slice(first, first + _AT_ONCE) for first in range(0, count, _AT_ONCE)]


def commonness(odds: np.ndarray) -> float:
    """Return what to add to the odds of a picture's peaks, as specks are commoner in it or rarer than was taught.

    Parameters
    ----------
    odds : (n,) logarithms, of peaks spread over the picture.

    References
    ----------
    Saerens, M., Latinne, P. and Decaestecker, C. (2002), Adjusting the outputs of a classifier to new a priori
        probabilities: a simple procedure, doi 10.1162/089976602753284446.
    """
    added = 0.0
    for _ in range(_TURNS if len(odds) else 0):
        share = float(np.mean(1 / (1 + np.exp(-np.clip(odds + added, -40, 40)))))
        share = min(max(share, 1e-9), 1 - 1e-9)
        added = float(np.clip(np.log(share / (1 - share)) - _TAUGHT, *_COMMON))
    return added


def _run(inputs: np.ndarray, name: str, weights: Weights) -> np.ndarray:
    """Return the last layer of one of both networks."""
    layer = 0
    while f"{name}{layer}" in weights:
        inputs = np.maximum(inputs, 0) if layer else inputs
        inputs = inputs @ weights[f"{name}{layer}"].astype(np.float32) + weights[f"{name}{layer}_bias"]
        layer += 1
    return inputs


@cache
def _weights() -> dict[str, np.ndarray]:
    with resources.files("dustpan.core.filters").joinpath(_FILE).open("rb") as file, np.load(file) as stored:
        return {name: stored[name].astype(np.float32) for name in stored.files}
