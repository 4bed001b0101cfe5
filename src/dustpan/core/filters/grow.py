"""Grow a cover from clicks on a thing: by colour and texture, on a reduced picture."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.planes import shrink_to

LONGEST = 360  # px of the reduced picture
_DISC = 0.008  # of its longer side: what is surely meant by a click
_ALIKE = 2.6  # deviations of the clicked place's own features, within which others are probably meant
_LEAST_SPREAD = np.array([0.04, 0.02, 0.02, 0.5], np.float32)  # of tone, both colours, logarithm of the texture
_TURNS = 4


def grow(overview: np.ndarray, seeds: Sequence[tuple[float, float, bool]]) -> np.ndarray:
    """Return (h, w) float32, 0 or 1: what belongs to the clicked places and is connected with them.

    Parameters
    ----------
    overview : h x w x 3 working pixels, quiet.
    seeds : x and y in parts of the width and height, and whether the place belongs.

    References
    ----------
    Rother, C., Kolmogorov, V. and Blake, A. (2004), "GrabCut": interactive foreground extraction using iterated graph
        cuts, doi 10.1145/1015706.1015720.
    """
    picture = shrink_to(np.ascontiguousarray(overview, np.float32), LONGEST)
    shape = picture.shape[:2]
    inside, outside = (_discs(shape, [s for s in seeds if s[2] is belongs]) for belongs in (True, False))
    if not inside.any():
        return np.zeros(shape, np.float32)
    features = _features(picture)
    marks = np.full(shape, cv2.GC_PR_BGD, np.uint8)
    marks[_probable(features, inside) & ~outside] = cv2.GC_PR_FGD
    marks[inside], marks[outside] = cv2.GC_FGD, cv2.GC_BGD
    return _connected(_cut(features, marks) & ~outside, inside)


def _discs(shape: tuple[int, int], seeds: Sequence[tuple[float, float, bool]]) -> np.ndarray:
    plane = np.zeros(shape, np.uint8)
    for x, y, _ in seeds:
        at = min(int(x * shape[1]), shape[1] - 1), min(int(y * shape[0]), shape[0] - 1)
        cv2.circle(plane, at, max(round(_DISC * max(shape)), 1), 1, -1)
    return plane > 0


def _features(picture: np.ndarray) -> np.ndarray:
    """Return h x w x 4: tone, two colours, and how much texture there is."""
    tone, first, second = to_opponent(cv2.GaussianBlur(picture, (0, 0), 0.8))
    detail = np.abs(tone - cv2.GaussianBlur(tone, (0, 0), 2.0))
    texture = np.log(cv2.GaussianBlur(detail, (0, 0), 2.0) + 1 / 255)
    return np.stack([tone / np.float32(3**0.5), first, second, texture], axis=-1)


def _probable(features: np.ndarray, inside: np.ndarray) -> np.ndarray:
    """Return what looks like the clicked places and is connected with them."""
    own = features[inside]
    spread = np.maximum(own.std(axis=0), _LEAST_SPREAD)
    away = np.sqrt((((features - np.median(own, axis=0)) / spread) ** 2).mean(axis=2))
    return _connected(away < _ALIKE, inside) > 0


def _cut(features: np.ndarray, marks: np.ndarray) -> np.ndarray:
    """Return the least cut between what is meant and what is not."""
    scaled = (features - features.mean(axis=(0, 1))) / _LEAST_SPREAD
    flat = scaled.reshape(-1, 4)
    _, axes = np.linalg.eigh(flat.T @ flat)
    planes = (flat @ axes[:, -3:]).reshape(*marks.shape, 3)
    low, high = np.quantile(planes, [0.005, 0.995], axis=(0, 1))
    stored = np.clip((planes - low) / np.maximum(high - low, 1e-6) * 255, 0, 255).astype(np.uint8)
    if not ((marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD)).any() or not (marks % 2 == 0).any():
        return marks % 2 == 1
    cv2.setRNGSeed(1)  # the same clicks, the same cover
    models = np.zeros((1, 65)), np.zeros((1, 65))
    whole = (0, 0, marks.shape[1], marks.shape[0])  # not used: the marks say where to begin
    cut, _, _ = cv2.grabCut(stored, marks.copy(), whole, *models, _TURNS, cv2.GC_INIT_WITH_MASK)
    return np.asarray(cut) % 2 == 1


def _connected(cover: np.ndarray, inside: np.ndarray) -> np.ndarray:
    """Return the parts of a cover that touch the clicked places, float32."""
    whole = (cover | inside).astype(np.uint8)
    _, labels = cv2.connectedComponents(whole, connectivity=4)
    return np.isin(labels, np.unique(labels[inside])).astype(np.float32)
