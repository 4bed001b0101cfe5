"""Views of a picture: one channel, lit up, clipped pixels, what was removed. None of them reaches a file."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.colour import tone_of, with_grey
from dustpan.core.filters.tone import expose
from dustpan.core.picture.curve import decode_curve, encode_curve

#: Ways to see a picture.
SEE = ("all", "luminance", "colour", "red", "green", "blue", "clipped")
_LOST_AT_WHITE = np.array([0.784, 0.4, 0.353], np.float32)  # madder
_LOST_AT_BLACK = np.array([0.373, 0.702, 0.631], np.float32)  # verdigris
_QUARTER = np.float32(0.25)


def light_up(pixels: np.ndarray, *, lamp: float, stretch: float = 0.0) -> np.ndarray:
    """Return working pixels under a lamp of -6 to 6 stops, after an asinh stretch of 0 to 1."""
    if stretch > 0:
        pixels = expose(pixels, stops=0.0, ev=0.0, stretch=stretch)
    if lamp:
        pixels = encode_curve(decode_curve(pixels) * np.float32(2.0**lamp))
    return pixels


def see(pixels: np.ndarray, *, what: str) -> np.ndarray:
    """Return h x w x 3 working pixels as one of `SEE` shows them.

    `luminance` is the mean of the channels; `colour` is each channel's distance from it on mid grey; `clipped` is
    a dim grey picture with what is lost at white in madder and what is lost at black in verdigris.
    """
    if what == "all":
        return pixels
    if what in ("red", "green", "blue"):
        plane = pixels[..., SEE.index(what) - SEE.index("red")]
        return np.repeat(plane[..., None], 3, axis=2)
    tone = tone_of(pixels)
    if what == "luminance":
        return np.repeat(tone[..., None], 3, axis=2)
    if what == "colour":
        return with_grey(pixels, np.float32(0.5) - tone)
    return _clipped(pixels, tone)


def _clipped(pixels: np.ndarray, tone: np.ndarray) -> np.ndarray:
    dim = np.repeat((_QUARTER + np.float32(0.35) * np.clip(tone, 0, 1))[..., None], 3, axis=2)
    dim[(pixels <= 0).any(axis=2)] = _LOST_AT_BLACK
    dim[(pixels >= 1).any(axis=2)] = _LOST_AT_WHITE
    return dim


def removed(before: np.ndarray, after: np.ndarray, *, gain: float) -> np.ndarray:
    """Return what was taken away, `gain` times, on mid grey; h x w x 3 working pixels."""
    return np.float32(0.5) + np.float32(gain) * (before - after)


def stretch_for(tones: np.ndarray, *, aim: float = 0.22) -> float:
    """Return the asinh stretch, in steps of 0.05, that brings the median tone up to `aim`; 0 when it is there.

    For linear pictures of the night, whose median lies near black.

    Parameters
    ----------
    tones : working values of any shape.
    """
    middle = np.float32(np.median(tones))
    for stretch in np.arange(0.0, 1.0, 0.05):
        lifted = expose(np.full((1, 1, 3), middle, np.float32), stops=0.0, ev=0.0, stretch=float(stretch))
        if float(lifted[0, 0, 0]) >= aim:
            return round(float(stretch), 2)
    return 1.0
