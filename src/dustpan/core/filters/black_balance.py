"""The colour that darks have where they should be neutral, measured over tone and place."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.planes import sample_plane, shrink_to
from dustpan.core.filters.tone import smooth_step
from dustpan.core.picture.region import Extent

_SIDE = 160  # px, longer side of the planes
_SPREAD = 0.07  # of the longer side, over which the tint of darks is measured
_TONES = 4  # at which it is measured, between black and the reach
_FEW = 0.02  # share of dark pixels around a place, under which what the whole picture says counts as much
_FULL = 0.8  # part of the reach up to which all of the tint is taken
_STRONGEST = 0.10  # tint beyond which a dark thing has a colour of its own


@dataclass(frozen=True, eq=False)
class Tint:
    """What colour the darks of a picture have.

    Attributes
    ----------
    planes : (h, w, tones, 3) float32, red, green and blue less the tone, at tones from black to `reach`.
    reach : tone from which nothing is changed, above 0.
    """

    planes: np.ndarray
    reach: float

    def at(self, tone: np.ndarray, calm: np.ndarray, extent: Extent) -> np.ndarray:
        """Return (h, w, 3), the tint for tones spread over an extent, fading out towards the reach.

        `calm` is the tone without its finest detail: the tint follows that, so that it adds no noise.
        """
        h, w, tones, _ = self.planes.shape
        planes = sample_plane(self.planes.reshape(h, w, tones * 3), extent, tone.shape).reshape(*tone.shape, tones, 3)
        place = np.clip(calm / np.float32(self.reach) * (tones - 1), 0, tones - 1)
        parts = np.clip(1 - np.abs(place[..., None] - np.arange(tones, dtype=np.float32)), 0, 1)
        fade = 1 - smooth_step(np.maximum(tone, calm), _FULL * self.reach, self.reach)
        return (planes * parts[..., None]).sum(axis=2) * fade[..., None].astype(np.float32)


def find_tint(overview: np.ndarray, reach: float) -> Tint | None:
    """Return the tint of the darks of a picture, or None where it has none.

    Parameters
    ----------
    overview : h x w x 3 working pixels of the whole picture, reduced.
    reach : tone under which a pixel is dark, above 0.
    """
    picture = shrink_to(np.ascontiguousarray(overview, np.float32), _SIDE)
    tone = tone_of(picture)
    off = picture - tone[..., None]
    dark = (tone < reach) & (np.abs(off).max(axis=2) < _STRONGEST)
    if not dark.any():
        return None
    place = np.clip(tone / reach * (_TONES - 1), 0, _TONES - 1)
    weights = np.clip(1 - np.abs(place[..., None] - np.arange(_TONES)), 0, 1) * dark[..., None]
    return Tint(_means(off, weights.astype(np.float32)), reach)


def _means(off: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """Return (h, w, tones, 3) means around each place; where they are few, nearer to those of the whole picture."""
    spread = _SPREAD * max(off.shape[:2])
    planes = []
    whole = (off * weights.sum(axis=2)[..., None]).sum(axis=(0, 1)) / weights.sum()
    for weight in np.moveaxis(weights, 2, 0):
        own = ((off * weight[..., None]).sum(axis=(0, 1)) + whole * _FEW) / (weight.sum() + _FEW)
        parts = np.dstack([off * weight[..., None], weight])
        summed = cv2.GaussianBlur(parts, (0, 0), spread, borderType=cv2.BORDER_REFLECT)
        planes.append((summed[..., :3] + _FEW * own) / (summed[..., 3:] + _FEW))
    return np.stack(planes, axis=2).astype(np.float32)


def balance(tile: np.ndarray, tint: np.ndarray, strength: float) -> np.ndarray:
    """Return a tile without some of a tint. Its tone stays as it was: the channels of a tint add up to nothing."""
    return tile - np.float32(strength) * tint
