"""What is done to a picture for its output alone: another size, and a last sharpening for how it will be looked at."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.document.viewing import Viewing
from dustpan.core.filters.colour import tone_of, with_grey_within
from dustpan.core.filters.sharpen import Sharpening, detail_of, sharpen_plane
from dustpan.core.picture.region import Size

_FINEST_SEEN = 20.0  # cycles a degree, past which the eye sees little of a picture's detail
_FINEST_HELD = 0.25  # cycles a pixel, up to which detail is raised
_AT_RADIUS = 0.19  # cycles: radius times the frequency that is brought back
_MOST, _LEAST = 2.5, 0.05  # amounts: more does harm, less is not seen
_INCH, _DEGREE = 2.54, np.pi / 180  # cm; radians
_GATES = {"finest": 1.0, "noise_gate": 2.0, "threshold": 1.0 / 255, "edge_gate": 0.2}
_SQUARE, _CALM = 16, 0.25  # px of the squares that noise is measured in; quantile of them that is taken for bare
_HALO = 0.6  # of light and dark rims, that is allowed


@dataclass(frozen=True)
class Finish:
    """How an output is finished.

    Attributes
    ----------
    size : width and height that it is reduced to fit within, or None to keep the picture's own.
    viewing : what its last sharpening is for, or None for none.
    """

    size: Size | None = None
    viewing: Viewing | None = None


NO_FINISH = Finish()


def sharpening_for(viewing: Viewing) -> Sharpening | None:
    """Return the sharpening that brings back what paper or screen blur of the finest detail that is seen; None of none.

    Notes
    -----
    A blur of deviation s leaves exp(-2 (pi s f)^2) of a frequency f. An unsharp mask of radius r and amount a makes
    1 + a (1 - exp(-2 (pi r f)^2)) of it; a is chosen so that both come to 1 at the finest frequency that is seen from
    the distance, or at a quarter of the pixels' own where that is coarser.
    """
    per_degree = viewing.distance * np.tan(_DEGREE) * viewing.density / _INCH
    frequency = min(_FINEST_SEEN / per_degree, _FINEST_HELD)
    spread = spread_of(viewing)
    radius = float(min(max(_AT_RADIUS / frequency, 0.6), 6.0))
    left = np.exp(-2 * (np.pi * spread * frequency) ** 2)
    raised = 1 - np.exp(-2 * (np.pi * radius * frequency) ** 2)
    amount = min(float((1 / left - 1) / raised), _MOST)
    if amount < _LEAST:
        return None
    return Sharpening(amount=amount, radius=radius, halo_light=_HALO, halo_dark=_HALO, **_GATES)


def spread_of(viewing: Viewing) -> float:
    """Return the deviation, px, of the blur that ink or a screen makes of an output."""
    return viewing.spread / 10 * viewing.density / _INCH


def sharpen_last(working: np.ndarray, viewing: Viewing | None) -> np.ndarray:
    """Return working pixels of an output, h x w x 3, sharpened for how they will be looked at."""
    sharpening = None if viewing is None else sharpening_for(viewing)
    if sharpening is None:
        return working
    tone = tone_of(working)
    noise = np.full_like(tone, _noise_left(tone, sharpening))
    return with_grey_within(working, sharpen_plane(tone, sharpening, noise=noise))


def _noise_left(tone: np.ndarray, sharpening: Sharpening) -> np.float32:
    """Return the deviation of the detail in the calmer squares: what the route has left of the noise."""
    detail = detail_of(tone, radius=sharpening.radius, finest=sharpening.finest)
    energy = cv2.resize(detail * detail, _squares_of(tone), interpolation=cv2.INTER_AREA)
    return np.float32(np.sqrt(np.quantile(energy, _CALM)))


def _squares_of(tone: np.ndarray) -> Size:
    return max(tone.shape[1] // _SQUARE, 1), max(tone.shape[0] // _SQUARE, 1)
