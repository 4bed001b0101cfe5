"""Find how one frame lies over another by what daylight shows: features first, then the best correlation.

References
----------
Evangelidis, G. and Psarakis, E. (2008), Parametric image alignment using enhanced correlation coefficient maximization,
    doi 10.1109/TPAMI.2008.113.
"""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.frames.placing import is_distorted

UNLIKE = "shows too little that the reference shows too: it can't be laid over it."
_LONGEST = 1600  # px of the pictures in which daylight is compared
_KNOWN = 1200  # features of those
_LEAST = 6  # features that agree
_TURNS = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6
_LEAST_LIKENESS = 0.3  # correlation under which frames do not show the same


def match_daylight(reference: np.ndarray, frame: np.ndarray, how: str) -> np.ndarray:
    """Return the (2, 3) matrix that takes places of the reference to those of a frame.

    Parameters
    ----------
    reference, frame : (h, w) linear light.
    how : "shift", "rotate" or "affine".

    Raises
    ------
    PictureError where they have too little in common.
    """
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
        raise PictureError(UNLIKE)
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
    return by_phase if guess is None or inside.sum() < _LEAST or is_distorted(guess) else guess
