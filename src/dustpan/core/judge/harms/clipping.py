"""Clipping: pixels driven to black or white."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side, SigmaOfTone

_LIMIT = 0.002  # share of the picture
_AROUND = 11  # px, side of the squares in which as many pixels may be clipped as were
_HALF = 0.3  # least share of a square that noise clips where the picture itself is at black or white
BLACK = Harm("clipping_black", "clipped_black", _LIMIT, "{size:.1f} % driven to black", 100)
WHITE = Harm("clipping_white", "clipped_white", _LIMIT, "{size:.1f} % driven to white", 100)

#: Pixels of a patch, and how many of them are newly at black and at white.
Clipped = tuple[int, float, float]


def measure_clipping(before: np.ndarray, after: np.ndarray, shown: Side, reach: SigmaOfTone) -> Clipped:
    """Return how many pixels of a patch are newly clipped at black and at white.

    Shares of clipped pixels are compared over squares, not pixel by pixel: near black or white noise clips some pixels,
    and cleaning may clip others instead. Where half of a square was clipped by noise, all of it may be afterwards. A
    channel whose mean in the square is within the noise of black or white may be clipped too.

    Parameters
    ----------
    before, after : the original patch, and the patch after the route.
    shown : the patch in the light of the route.
    reach : how far noise takes each channel, over tone in `shown`; see `Patch.channel_reach`.
    """

    def newly(before: np.ndarray, after: np.ndarray, near: np.ndarray) -> float:
        """Return how many more pixels are at or under 0 after, over the squares in which there are more."""
        clipped = before <= 0, after <= 0
        if not _any(clipped[1] & ~clipped[0]).any():
            return 0.0
        clear = _around(near) > np.moveaxis(reach(shown.tone), 0, 2)
        shares = [_around(_any(p & clear).astype(np.float32)) for p in clipped]
        more = np.where(shares[0] < _HALF, np.maximum(shares[1] - shares[0], 0), 0)
        return float(more.sum(dtype=np.float64))

    return (
        after.shape[0] * after.shape[1],
        newly(before, after, shown.pixels),
        newly(1 - before, 1 - after, 1 - shown.pixels),
    )


def _around(values: np.ndarray) -> np.ndarray:
    """Return the mean of the square around each pixel."""
    return cv2.blur(values, (_AROUND, _AROUND), borderType=cv2.BORDER_REFLECT)


def _any(channels: np.ndarray) -> np.ndarray:
    """Return where any of three channels is set: several times as quick as numpy along a short last axis."""
    return channels[..., 0] | channels[..., 1] | channels[..., 2]


def combine_clipping(patches: Sequence[Clipped]) -> tuple[float, float]:
    """Return the shares of pixels newly at black and at white over patches."""
    pixels, black, white = np.sum(patches, axis=0) if len(patches) else (0, 0, 0)
    return float(black / max(pixels, 1)), float(white / max(pixels, 1))


class Clipping(Measure):
    """Pixels newly at black and at white."""

    figures: ClassVar = {
        "clipped_black": "share of pixels newly at black",
        "clipped_white": "share of pixels newly at white",
    }
    harms = (BLACK, WHITE)
    of_picture = True

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_clipping(patch.original, patch.after.pixels, patch.before, patch.channel_reach)

    def combine(self, found):
        """Return the figures over patches."""
        return dict(zip(self.figures, combine_clipping(found), strict=True))
