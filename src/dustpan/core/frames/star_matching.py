"""Match the stars of two frames: which of them are the same, and how one frame lies over the other by them.

References
----------
Lang, D. et al. (2010), Astrometry.net: blind astrometric calibration of arbitrary astronomical images,
    doi 10.1088/0004-6256/139/5/1782: stars matched by the shapes of triangles.
"""

from __future__ import annotations

import cv2
import numpy as np
from scipy.spatial import cKDTree

from dustpan.core.frames.placing import is_distorted
from dustpan.core.frames.stars import Stars

NEAR = 3.0  # px, of a matched star after the first guess
LEAST = 6  # matched stars that make a placement sure
_CLOSE = 1.2  # px, of a matched star after the refinement
_TRIED = 60  # of the brightest, for the first guess
_SHAPES = 5  # neighbours of a star that make triangles with it
_ALIKE = 0.02  # difference of two triangles' shapes
_MANY = 20  # matched stars from which an affine map is fitted to them


def count_matched(reference: Stars, frame: Stars, matrix: np.ndarray) -> int:
    """Return how many of the reference's stars stand where a frame has some."""
    away, _ = cKDTree(frame.places).query(reference.places @ matrix[:, :2].T + matrix[:, 2])
    return int((away < _CLOSE).sum())


def match_stars(reference: Stars, frame: Stars, how: str) -> np.ndarray | None:
    """Return the (2, 3) matrix that takes places of the reference to those of a frame; None where too few stars match.

    how : "shift", "rotate" or "affine".
    """
    guess = _shift_guess(reference.places, frame.places) if how == "shift" else _turn_guess(reference, frame)
    if guess is None:
        return None
    tree = cKDTree(frame.places)
    for reach in (NEAR, _CLOSE, _CLOSE):
        away, partner = tree.query(reference.places @ guess[:, :2].T + guess[:, 2])
        near = away < reach
        if near.sum() < LEAST:
            return None
        weight = np.sqrt(np.minimum(reference.flux[near], np.quantile(reference.flux, 0.9)))
        guess = _fitted(reference.places[near], frame.places[partner[near]], weight, how)
    return guess


def _shift_guess(reference: np.ndarray, frame: np.ndarray) -> np.ndarray | None:
    """Return the shift that most pairs of bright stars have in common."""
    shifts = (frame[None, :_TRIED] - reference[:_TRIED, None]).reshape(-1, 2)
    tree = cKDTree(shifts)
    count = np.array([len(near) for near in tree.query_ball_point(shifts, 1.5)])
    if count.max() < LEAST:
        return None
    shift = shifts[tree.query_ball_point(shifts[count.argmax()], 1.5)].mean(axis=0)
    return np.c_[np.eye(2), shift]


def _turn_guess(reference: Stars, frame: Stars) -> np.ndarray | None:
    """Return a similarity from triangles of the same shape."""
    corners, shapes = _triangles(reference.places[:_TRIED])
    others, forms = _triangles(frame.places[:_TRIED])
    if not (len(shapes) and len(forms)):
        return None
    away, partner = cKDTree(forms).query(shapes, distance_upper_bound=_ALIKE)
    alike = np.isfinite(away)
    if alike.sum() < 2:
        return None
    here = reference.places[corners[alike]].reshape(-1, 2)
    there = frame.places[others[partner[alike]]].reshape(-1, 2)
    guess, inside = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=NEAR, maxIters=4000)
    return None if guess is None or inside.sum() < LEAST or is_distorted(guess) else guess


def _triangles(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return (n, 3) corners, opposite the sides in ascending order, and (n, 2) the ratios of those sides."""
    if len(places) < 3:
        return np.zeros((0, 3), int), np.zeros((0, 2))
    _, near = cKDTree(places).query(places, k=min(_SHAPES + 1, len(places)))
    sets = {tuple(sorted((a[0], a[i], a[j]))) for a in near for i in range(1, len(a)) for j in range(i + 1, len(a))}
    corners = np.array(sorted(sets))
    sides = np.stack(
        [np.linalg.norm(places[corners[:, (k + 1) % 3]] - places[corners[:, (k + 2) % 3]], axis=1) for k in range(3)], 1
    )
    order = np.argsort(sides, axis=1)
    sides = np.take_along_axis(sides, order, axis=1)
    usable = sides[:, 0] > 4
    ratios = sides[usable, :2] / sides[usable, 2:]
    return np.take_along_axis(corners, order, axis=1)[usable], ratios


def _fitted(here: np.ndarray, there: np.ndarray, weight: np.ndarray, how: str) -> np.ndarray:
    """Return the weighted least squares map of one set of places to another."""
    weight = (weight / weight.sum())[:, None]
    if how == "affine" and len(here) >= _MANY:
        solved, *_ = np.linalg.lstsq(np.c_[here, np.ones(len(here))] * np.sqrt(weight), there * np.sqrt(weight))
        return solved.T
    middle, target = (weight * here).sum(axis=0), (weight * there).sum(axis=0)
    turn = np.eye(2)
    if how != "shift":
        u, _, vt = np.linalg.svd((weight * (there - target)).T @ (here - middle))
        turn = u @ np.diag([1, np.sign(np.linalg.det(u @ vt))]) @ vt
    return np.c_[turn, target - turn @ middle]
