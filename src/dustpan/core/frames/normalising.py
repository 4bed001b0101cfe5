"""Bring frames to the sky and the strength of light of the reference, and find how much each counts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from dustpan.core.frames.stars import Stars

_ENOUGH = 10  # matched stars that give the strength of light
_NEAR = 1.5  # px
_EVERY = 3  # pixels of which one is looked at


@dataclass(frozen=True, eq=False)
class Level:
    """How a frame's light is brought to that of the reference: (light - sky) * gain + sky of the reference.

    Attributes
    ----------
    sky : (channels,) median light.
    gain : of the light over the sky.
    weight : how much the frame counts: the inverse of its noise's variance, once it is brought there.
    """

    sky: np.ndarray
    gain: float
    weight: float

    def brought_to(self, light: np.ndarray, reference: np.ndarray) -> np.ndarray:
        """Return light as the reference has it; `reference` (channels,) is its sky."""
        offset = (reference - np.float32(self.gain) * self.sky).astype(np.float32)
        return light * np.float32(self.gain) + offset


def sky_of(light: np.ndarray) -> np.ndarray:
    """Return (channels,) medians of the light, without what a frame does not reach."""
    return np.nanmedian(light[::_EVERY, ::_EVERY].reshape(-1, light.shape[2]), axis=0).astype(np.float32)


def level_of(sky: np.ndarray, stars: Stars, matrix: np.ndarray, reference: Stars, reference_sky: np.ndarray) -> Level:
    """Return how a frame is brought to the reference.

    Where stars are matched they give its strength, whatever cloud or moon has added to its sky; else skies do.
    """
    gain = _by_stars(stars, matrix, reference)
    if gain is None:
        gain = float(np.mean(reference_sky) / max(float(np.mean(sky)), 1e-6))
    return Level(sky, gain, 1 / max((gain * stars.noise) ** 2, 1e-12))


def _by_stars(stars: Stars, matrix: np.ndarray, reference: Stars) -> float | None:
    if min(len(stars), len(reference)) < _ENOUGH:
        return None
    away, partner = cKDTree(stars.places).query(reference.places @ matrix[:, :2].T + matrix[:, 2])
    near = np.flatnonzero(away < _NEAR)[:100]
    if len(near) < _ENOUGH:
        return None
    return float(np.median(reference.flux[near] / np.maximum(stars.flux[partner[near]], 1e-9)))
