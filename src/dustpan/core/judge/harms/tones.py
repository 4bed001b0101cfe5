"""Darks and highlights: shadows that got darker, a cast, highlights that were darkened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.judge.harms.harm import Harm, Measure
from dustpan.core.noise.model import DISPLAY
from dustpan.core.picture.curve import SRGB_TO_XYZ, decode_curve

DARKER_SHADOWS = Harm(
    "darker_shadows", "speck_shift", -1.5, "shadows {size:.1f} L* darker, as white specks went", -1, below=True
)
DULL_HIGHLIGHTS = Harm(
    "dull_highlights", "highlight_shift", -0.02, "highlights darkened by {size:.0f} levels", -DISPLAY, below=True
)
CAST = Harm("cast", "cast", 2.0, "a cast of {size:.1f} levels in the darks")

_BRIGHT, _WHITE = 0.8, 0.995  # tones between which a pixel counts as highlight
_DARK = 0.25  # tone under which a pixel counts as shadow
_DARK_BLUR = 3.0  # px, deviation of the blur by which it is told
_FEW = 0.002  # share of what is looked at; in so few darks nobody sees a cast
_AROUND = 7  # px, side of the square that is dark all around a pixel
_STANDS_OUT = 6.0  # deviations of the darks from which a pixel is a speck
_KINDS = "channels", "medians"
_TO_Y = SRGB_TO_XYZ[1].astype(np.float32)


@dataclass(frozen=True, eq=False)
class Darks:
    """Changes in the dark pixels of a patch, as sums.

    Attributes
    ----------
    pixels : their number.
    looked_at : number of all pixels of the patch.
    inner : number of dark pixels with dark surroundings.
    lightness, specks : of the changes of L* of all dark pixels, and of specks alone.
    channels : (3,) of the changes of red, green and blue of the inner ones.
    medians : (3,) of the changes of the local medians of the inner ones.
    """

    pixels: int = 0
    looked_at: int = 0
    inner: int = 0
    lightness: float = 0.0
    specks: float = 0.0
    channels: np.ndarray | tuple[float, float, float] = (0.0, 0.0, 0.0)
    medians: np.ndarray | tuple[float, float, float] = (0.0, 0.0, 0.0)


def lightness(pixels: np.ndarray) -> np.ndarray:
    """Return CIE L* (0 to 100) of working pixels, last axis the channels."""
    y = np.clip(decode_curve(pixels) @ _TO_Y, 0, None)
    return np.where(y > 216 / 24389, 116 * np.cbrt(y) - 16, y * 24389 / 27)


def measure_darks(before: np.ndarray, after: np.ndarray) -> Darks:
    """Return the changes in a patch's dark pixels.

    Dark pixels are chosen by a blurred tone: chosen by their own value, noisy ones would become lighter by regression
    to the mean. Colours are measured only where the surroundings are dark: gaps between leaves take colour from
    these.
    """
    tone = tone_of(before)
    mask = cv2.GaussianBlur(tone, (0, 0), _DARK_BLUR) < _DARK
    count = int(mask.sum())
    if not count:
        return Darks(looked_at=mask.size)
    change = lightness(after[mask]) - lightness(before[mask])
    rest = (tone - cv2.medianBlur(tone, 5))[mask]
    specks = rest > _STANDS_OUT * (1.4826 * float(np.median(np.abs(rest))) + 0.5 / DISPLAY)
    inner = cv2.erode(mask.view(np.uint8), np.ones((_AROUND, _AROUND), np.uint8), borderValue=1).view(np.bool_)
    moved = (after - before)[inner].sum(axis=0, dtype=np.float64)
    medians = [cv2.medianBlur(np.ascontiguousarray(pixels), 5)[inner] for pixels in (before, after)]
    moved_medians = (medians[1] - medians[0]).sum(axis=0, dtype=np.float64)
    number = int(inner.sum())
    return Darks(count, mask.size, number, float(change.sum()), float(change[specks].sum()), moved, moved_medians)


def combine_darks(patches: Sequence[Darks]) -> tuple[float, float, float | None] | None:
    """Return over patches the mean change of L*, the part of it that specks make, and the cast in display values.
    None without dark pixels. The cast is the change of the channel that moved most, less the mean of all three; None
    with too few inner pixels.
    """
    pixels, looked_at, inner = (sum(getattr(d, name) for d in patches) for name in ("pixels", "looked_at", "inner"))
    if not pixels:
        return None
    means, medians = (np.sum([getattr(darks, kind) for darks in patches], axis=0) / max(inner, 1) for kind in _KINDS)
    return (
        sum(darks.lightness for darks in patches) / pixels,
        sum(darks.specks for darks in patches) / pixels,
        _cast(means, medians) if inner > _FEW * looked_at else None,
    )


def _cast(means: np.ndarray, medians: np.ndarray) -> float:
    """Return the cast, display values, from how the channels' means and medians (3,) changed.

    Clipping at black removes the lower side of the noise, which raises means but not medians; the true change lies
    between the changes of both. Within that range of each channel, the values that differ least are used.
    """
    low, high = np.minimum(means, medians), np.maximum(means, medians)
    moved = np.clip((low.max() + high.min()) / 2, low, high)
    return float(np.abs(moved - moved.mean()).max() * DISPLAY)


def measure_highlights(before: np.ndarray, after: np.ndarray) -> tuple[int, float]:
    """Return the number of bright pixels and the sum of their changes of tone, blurred so that noise plays no part."""
    if before.max() <= _BRIGHT:
        return 0, 0.0
    tones = [cv2.GaussianBlur(tone_of(pixels), (0, 0), 2.0) for pixels in (before, after)]
    mask = (tones[0] > _BRIGHT) & (tones[0] < _WHITE)
    return int(mask.sum()), float((tones[1] - tones[0])[mask].sum())


def combine_highlights(patches: Sequence[tuple[int, float]]) -> float | None:
    """Return the mean change of tone of bright pixels over patches, or None without any."""
    pixels = sum(count for count, _ in patches)
    return sum(change for _, change in patches) / pixels if pixels else None


class Tones(Measure):
    """Tones and colours of darks and highlights."""

    figures: ClassVar = {
        "shadow_shift": "change of L* in the darks",
        "speck_shift": "the part of it that single pixels make, as where white specks went",
        "cast": "change of colour in the darks, display values: the channel that moved most, less the mean",
        "highlight_shift": "change of tone in what was bright, noise left out",
    }
    harms = (DARKER_SHADOWS, DULL_HIGHLIGHTS, CAST)

    def measure(self, patch):
        """Return what one patch adds."""
        return (measure_darks(*patch.pair), measure_highlights(*patch.pair))

    def combine(self, found):
        """Return the figures over patches."""
        shadow_shift, speck_shift, cast = combine_darks([darks for darks, _ in found]) or (None, None, None)
        highlight_shift = combine_highlights([highlights for _, highlights in found])
        return {
            "shadow_shift": shadow_shift,
            "speck_shift": speck_shift,
            "cast": cast,
            "highlight_shift": highlight_shift,
        }
