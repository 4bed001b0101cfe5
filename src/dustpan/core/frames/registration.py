"""How frames lie over one another: a shift, a turn, or an affine map, found from stars or from what daylight shows."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.spatial import cKDTree

from dustpan.core.errors import PictureError
from dustpan.core.frames.stars import Stars, find_stars

ALIGNMENTS = ("none", "shift", "rotate", "affine")
_ENOUGH = 8  # stars in either frame, from which they are used
_WIDEST = 6.0  # px, full width of most stars
_TRIED = 60  # of the brightest, for the first guess
_SHAPES = 5  # neighbours of a star that make triangles with it
_ALIKE = 0.02  # difference of two triangles' shapes
_NEAR = 3.0  # px, of a matched star after the first guess
_CLOSE = 1.2  # the same after the refinement
_SIZE_CHANGE = 0.1
_MANY = 20  # matched stars from which an affine map is fitted to them
_LEAST = 6  # matched stars that make a placement sure
_LONGEST = 1600  # px of the pictures in which daylight is compared
_KNOWN = 1200  # features of those
_TURNS = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6
_UNLIKE = "shows too little that the reference shows too: it can't be laid over it."
_LEAST_LIKENESS = 0.3  # correlation under which frames do not show the same


@dataclass(frozen=True, eq=False)
class Look:
    """What a frame is registered by.

    Attributes
    ----------
    tone : (h, w) float32 linear light, without single hot pixels.
    stars : see `Stars`.
    """

    tone: np.ndarray
    stars: Stars

    @classmethod
    def of(cls, light: np.ndarray) -> Look:
        """Return the look of a frame, h x w x channels linear light."""
        tone = np.ascontiguousarray(light.mean(axis=2), np.float32)
        return cls(cv2.medianBlur(tone, 3), find_stars(tone))

    @property
    def starry(self) -> bool:
        """Whether what shines in it are stars, and enough of them; bright things in daylight are wider."""
        return len(self.stars) >= _ENOUGH and float(np.median(self.stars.width)) <= _WIDEST


def unmoved() -> np.ndarray:
    """Return the placement of the reference itself."""
    return np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def register(reference: Look, frame: Look, how: str) -> np.ndarray:
    """Return the (2, 3) matrix that takes places of the reference to those of a frame.

    Parameters
    ----------
    how : one of `ALIGNMENTS`.

    Raises
    ------
    PictureError where they have too little in common.

    References
    ----------
    Lang, D. et al. (2010), Astrometry.net: blind astrometric calibration of arbitrary astronomical images,
    doi 10.1088/0004-6256/139/5/1782: stars matched by shapes. Evangelidis, G. and Psarakis, E. (2008), Parametric image
    alignment using enhanced correlation coefficient maximization, doi 10.1109/TPAMI.2008.113.
    """
    if how == "none":
        return unmoved()
    starry = all(look.starry for look in (reference, frame))
    if starry and (found := _by_stars(reference.stars, frame.stars, how)) is not None:
        return found
    found = _by_daylight(reference.tone, frame.tone, how)
    if starry and _matched(reference.stars, frame.stars, found) < _LEAST:  # what stands still in front of the sky
        raise PictureError(_UNLIKE)
    return found


def _matched(reference: Stars, frame: Stars, matrix: np.ndarray) -> int:
    """Return how many of the reference's stars stand where a frame has some."""
    away, _ = cKDTree(frame.places).query(reference.places @ matrix[:, :2].T + matrix[:, 2])
    return int((away < _CLOSE).sum())


def _by_stars(reference: Stars, frame: Stars, how: str) -> np.ndarray | None:
    """Return the placement, or None where too few stars match."""
    guess = _shift_guess(reference.places, frame.places) if how == "shift" else _turn_guess(reference, frame)
    if guess is None:
        return None
    tree = cKDTree(frame.places)
    for reach in (_NEAR, _CLOSE, _CLOSE):
        away, partner = tree.query(reference.places @ guess[:, :2].T + guess[:, 2])
        near = away < reach
        if near.sum() < _LEAST:
            return None
        weight = np.sqrt(np.minimum(reference.flux[near], np.quantile(reference.flux, 0.9)))
        guess = _fitted(reference.places[near], frame.places[partner[near]], weight, how)
    return guess


def _shift_guess(reference: np.ndarray, frame: np.ndarray) -> np.ndarray | None:
    """Return the shift that most pairs of bright stars have in common."""
    shifts = (frame[None, :_TRIED] - reference[:_TRIED, None]).reshape(-1, 2)
    tree = cKDTree(shifts)
    count = np.array([len(near) for near in tree.query_ball_point(shifts, 1.5)])
    if count.max() < _LEAST:
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
    guess, inside = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=_NEAR, maxIters=4000)
    return None if guess is None or inside.sum() < _LEAST or _is_distorted(guess) else guess


def _is_distorted(matrix: np.ndarray) -> bool:
    """Return whether a map changes sizes by more than a lens does from frame to frame."""
    return abs(np.sqrt(abs(np.linalg.det(matrix[:, :2]))) - 1) > _SIZE_CHANGE


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


def _by_daylight(reference: np.ndarray, frame: np.ndarray, how: str) -> np.ndarray:
    """Return the placement by features for a first guess, then by the best correlation."""
    scale = min(_LONGEST / max(reference.shape), 1.0)
    small = [
        _contrasted(cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)) for p in (reference, frame)
    ]
    motion = {"shift": cv2.MOTION_TRANSLATION, "rotate": cv2.MOTION_EUCLIDEAN, "affine": cv2.MOTION_AFFINE}[how]
    start = _feature_guess(small[0], small[1], how)
    try:
        likeness, found = cv2.findTransformECC(small[0], small[1], np.asarray(start, np.float32), motion, _TURNS)
    except cv2.error:
        likeness, found = 0.0, start
    if likeness < _LEAST_LIKENESS:
        raise PictureError(_UNLIKE)
    matrix = found.astype(float)
    offset = (1 / scale - 1) / 2  # of pixels' middles
    matrix[:, 2] = matrix[:, 2] / scale + offset - matrix[:, :2] @ np.full(2, offset)
    return matrix


def _contrasted(tone: np.ndarray) -> np.ndarray:
    """Return tones as 0 to 255, uint8, darks lifted: what features and correlation see."""
    low, high = np.percentile(tone, (1, 99.5))
    part = np.clip((tone - low) / max(high - low, 1e-9), 0, 1)
    return np.ascontiguousarray(np.sqrt(part) * 255).astype(np.uint8)


def _feature_guess(reference: np.ndarray, frame: np.ndarray, how: str) -> np.ndarray:
    """Return the placement that most features agree on; a shift by phase where features find none."""
    shift, _ = cv2.phaseCorrelate(
        reference.astype(np.float64),
        frame.astype(np.float64),
        cv2.createHanningWindow(reference.shape[::-1], cv2.CV_64F),
    )
    by_phase = np.c_[np.eye(2), shift]
    if how == "shift":
        return by_phase
    orb = cv2.ORB.create(_KNOWN)
    (keys, words), (others, answers) = (orb.detectAndCompute(plane, None) for plane in (reference, frame))
    if words is None or answers is None:
        return by_phase
    pairs = cv2.BFMatcher(cv2.NORM_HAMMING, crossCheck=True).match(words, answers)
    if len(pairs) < _LEAST:
        return by_phase
    here = np.array([keys[pair.queryIdx].pt for pair in pairs])
    there = np.array([others[pair.trainIdx].pt for pair in pairs])
    guess, inside = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=3.0)
    return by_phase if guess is None or inside.sum() < _LEAST or _is_distorted(guess) else guess


def followed(matrix: np.ndarray, way: tuple[float, float], number: int) -> np.ndarray:
    """Return a placement that follows what moves against the rest.

    Parameters
    ----------
    matrix : of the frame over the reference, by what stands still.
    way : x and y by which the target moves from one frame to the next, px of the reference.
    number : of frames from the reference to this one; below 0 for those before it.
    """
    own = matrix.copy()
    own[:, 2] += matrix[:, :2] @ (np.array(way) * number)
    return own


def channel_placements(reference: Look, light: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """Return (channels, 2, 3) placements, one for each channel of a frame: air and lens shift colours apart.

    A channel in which too few of the reference's stars are found keeps the frame's own placement.

    Parameters
    ----------
    reference : what the frame lies over.
    light : h x w x channels of the frame.
    matrix : of the whole frame.
    """
    found = np.repeat(matrix[None], light.shape[2], axis=0)
    wanted = reference.stars.places @ matrix[:, :2].T + matrix[:, 2]
    for channel in range(light.shape[2] if light.shape[2] > 1 and len(wanted) else 0):
        stars = find_stars(np.ascontiguousarray(light[..., channel], np.float32))
        if len(stars) < _ENOUGH:
            continue
        away, partner = cKDTree(stars.places).query(wanted)
        near = away < _NEAR
        if near.sum() >= _LEAST:
            found[channel, :, 2] += np.median(stars.places[partner[near]] - wanted[near], axis=0)
    return found
