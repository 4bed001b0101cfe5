"""Haze: how much of the light at each place is a veil of stray light, and the picture without it.

Light through haze is `light * (1 - veil) + airlight * veil`. In clear air nearly every part of a picture has some pixel
that is dark in one of its channels; what is left of light there is the veil.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.planes import follow_picture, guided_planes, sample_plane, shrink_to
from dustpan.core.filters.smooth import within_edges
from dustpan.core.filters.tone import amplify, smooth_step
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.region import Extent

_SIDE = 400  # px, longer side of the planes
_PART = 7  # px of them, radius of the parts that hold a dark pixel in clear air
_WINDOW = 20  # px of them, in which the veil follows the picture's colours
_SKY_WINDOW = 5  # px of them, in which the sky does: it may be seen through a small opening
_SOFT = 1e-3  # variance of colour that still counts as one thing
MOST_VEIL = 0.95  # of the light may be veil
_MOST_OF_PIXEL = 0.92  # of the light of a pixel's darkest channel may be veil
_AIR = 0.002  # share of the pixels, the most veiled, that give the colour of the veil
_CALM = 1.6  # px of the planes, deviation of the blur without which noise passes for dark pixels
_FAINTEST_AIR = 0.05  # light of the veil under which there is none
CALM_REACH = 4  # px, of the smoothing that keeps noise out of the veil
_EVEN_STEP = 0.02  # deviation of tone within 2 px up to which a place is smooth
_LIT = (0.84, 0.96)  # tones between which a pixel counts as sky, or lamp, however small
_SKY_TONE = (0.45, 0.65)  # between which a place becomes bright enough for sky
_SKY_VEIL = (0.45, 0.7)  # the same of its light beside that of the veil


@dataclass(frozen=True, eq=False)
class Veil:
    """What haze lies over a picture.

    Attributes
    ----------
    planes : (h, w, 8) float32, slopes and offset by which the veil and the sky follow the picture's colour.
    air : (3,) light of the veil.
    """

    planes: np.ndarray
    air: np.ndarray

    def at(self, calm: np.ndarray, extent: Extent) -> tuple[np.ndarray, np.ndarray]:
        """Return (h, w) shares of veil in the light, 0 to 0.95, and (h, w) how far each pixel is sky, 0 to 1.

        calm : h x w x 3 working pixels of an extent, without their finest detail; no channel has more veil than light.
        """
        planes = sample_plane(self.planes, extent, calm.shape[:2])
        sky = np.maximum(_share(follow_picture(planes[..., 4:], calm)), smooth_step(tone_of(calm), *_LIT))
        return self._bounded(follow_picture(planes[..., :4], calm), calm), sky

    def _bounded(self, veil: np.ndarray, calm: np.ndarray) -> np.ndarray:
        least = (decode_curve(np.clip(calm, 0, 1)) / self.air).min(axis=2)
        return np.clip(np.minimum(veil, _MOST_OF_PIXEL * least), 0, MOST_VEIL)


def find_veil(overview: np.ndarray) -> Veil | None:
    """Return the veil of a picture, or None where it has no light for one.

    Parameters
    ----------
    overview : h x w x 3 working pixels of the whole picture, reduced.

    References
    ----------
    He, K., Sun, J. and Tang, X. (2011), Single image haze removal using dark channel prior,
    doi 10.1109/TPAMI.2010.168; (2013), Guided image filtering, doi 10.1109/TPAMI.2012.213. Parts are taken by a
    morphological opening instead of a minimum.
    """
    picture = np.clip(shrink_to(np.ascontiguousarray(overview, np.float32), _SIDE), 0, 1)
    light = decode_curve(picture).astype(np.float32)
    air = _air_of(light)
    if air.min() < _FAINTEST_AIR:
        return None
    veil = np.minimum(_darkest(light / air), 1) * np.float32(MOST_VEIL)
    sky = _sky(picture, light / air)
    planes = [guided_planes(picture, veil, _WINDOW, _SOFT), guided_planes(picture, sky, _SKY_WINDOW, _SOFT)]
    return Veil(np.concatenate(planes, axis=2), air)


def _darkest(light: np.ndarray) -> np.ndarray:
    """Return (h, w), the darkest channel of the darkest pixel of the brightest part around each one.

    Of the parts that hold a pixel one is enough without anything dark: so no rim of clear air lies around dark things.
    """
    part = np.ones((2 * _PART + 1, 2 * _PART + 1), np.uint8)
    calm = cv2.GaussianBlur(light, (0, 0), _CALM, borderType=cv2.BORDER_REFLECT)
    return cv2.morphologyEx(calm.min(axis=2), cv2.MORPH_OPEN, part, borderType=cv2.BORDER_REFLECT)


def _air_of(light: np.ndarray) -> np.ndarray:
    """Return the mean light where the most of it must be veil."""
    dark = _darkest(light)
    return light[dark >= np.quantile(dark, 1 - _AIR)].mean(axis=0).astype(np.float32)


def _sky(picture: np.ndarray, beside_air: np.ndarray) -> np.ndarray:
    """Return (h, w), 0 to 1, how bright and smooth each place is, and how near to the veil's own light."""
    tone = tone_of(picture)
    mean, square = (cv2.blur(plane, (5, 5), borderType=cv2.BORDER_REFLECT) for plane in (tone, tone * tone))
    uneven = np.sqrt(np.maximum(square - mean * mean, 0)) / np.float32(_EVEN_STEP)
    smooth = 1 - smooth_step(uneven, 1.0, 2.0)
    return (smooth * smooth_step(mean, *_SKY_TONE) * smooth_step(beside_air.min(axis=2), *_SKY_VEIL)).astype(np.float32)


def _share(plane: np.ndarray) -> np.ndarray:
    return np.clip(plane, 0, 1)


def calmed(tile: np.ndarray) -> np.ndarray:
    """Return a tile without its finest detail and noise, its edges kept; looks `CALM_REACH` px around."""
    return within_edges(tile, CALM_REACH // 2)


def taken(veil: np.ndarray, *, strength: float, far_only: float) -> np.ndarray:
    """Return how much of a veil is taken: what is near, under a thin veil, can be spared."""
    far = smooth_step(veil, 0.6 * far_only, 0.6 * far_only + 0.3) if far_only > 0 else 1.0
    return (np.float32(strength) * veil * far).astype(np.float32)


def clear(tile: np.ndarray, veil: np.ndarray | float, air: np.ndarray, gain: float) -> np.ndarray:
    """Return working pixels without a veil.

    Parameters
    ----------
    tile : h x w x 3 working pixels.
    veil : share of the light that is taken for veil, 0 to 0.95; (h, w) or a number.
    air : (3,) light of the veil.
    gain : of the light that is left, with which white stays white.
    """
    part = np.asarray(veil, np.float32)[..., None]
    light = (decode_curve(tile) - part * air) / (1 - part)
    return encode_curve(amplify(light, gain)).astype(np.float32)


def gain_against(before: np.ndarray, cleared: np.ndarray) -> float:
    """Return the gain of light that gives a cleared picture the mean tone it had before."""
    aim, light = float(np.clip(before, 0, 1).mean()), decode_curve(cleared)
    low, high = 1.0, 16.0
    for _ in range(18):
        middle = np.sqrt(low * high)
        darker = float(np.clip(encode_curve(amplify(light, middle)), 0, 1).mean()) < aim
        low, high = (middle, high) if darker else (low, middle)
    return float(low)
