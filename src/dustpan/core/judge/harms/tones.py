"""Darks and highlights: shadows that got darker, a cast, highlights that were darkened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, NamedTuple

import cv2
import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides
from dustpan.core.noise.model import DISPLAY
from dustpan.core.picture.curve import SRGB_TO_XYZ, decode_curve, encode_curve

DARKER_SHADOWS = Harm(
    "darker_shadows", "speck_shift", -1.5, "shadows {size:.1f} L* darker, as white specks went", -1, below=True
)
DULL_HIGHLIGHTS = Harm(
    "dull_highlights", "highlight_shift", -0.02, "highlights darkened by {size:.0f} levels", -DISPLAY, below=True
)
CAST = Harm("cast", "cast", 2.0, "a cast of {size:.1f} levels in the darks")

_BRIGHT, _WHITE = 0.8, 0.995  # tones between which a pixel counts as highlight
_DARK = 0.25  # tone under which a pixel counts as shadow
_DARK_BLUR = 3.0  # px, deviation of the blur before the comparison
_FEW = 0.002  # share of what is looked at; in so few darks nobody sees a cast
_AROUND = 7  # px, side of the square that is dark all around a pixel
_STANDS_OUT = 6.0  # deviations of the darks from which a pixel is a speck
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
    moved : (3, 3) of the changes of the inner ones: by rows of their values, of their local medians, and of the tones
        of their local means in light; red, green and blue.
    """

    pixels: int = 0
    looked_at: int = 0
    inner: int = 0
    lightness: float = 0.0
    specks: float = 0.0
    moved: np.ndarray | float = 0.0


def lightness(pixels: np.ndarray) -> np.ndarray:
    """Return CIE L* (0 to 100) of working pixels, last axis the channels."""
    y = np.clip(decode_curve(pixels) @ _TO_Y, 0, None)
    return np.where(y > 216 / 24389, 116 * np.cbrt(y) - 16, y * 24389 / 27)


class _Dark(NamedTuple):
    """What is dark in a patch: `mask`, `lightness` of these and which are `specks`, and `inner` with its `colours`."""

    mask: np.ndarray
    lightness: np.ndarray
    specks: np.ndarray
    inner: np.ndarray
    colours: np.ndarray


def measure_darks(sides: Sides) -> Darks:
    """Return the changes in a patch's dark pixels.

    Dark pixels are chosen by a blurred tone: chosen by their own value, noisy ones would become lighter by regression
    to the mean. Colours are measured only where the surroundings are dark: gaps between leaves take colour from
    these.
    """
    dark = sides[0].derived(_dark)
    if dark is None:
        return Darks(looked_at=sides[0].tone.size)
    after = sides[1].pixels
    change = lightness(after[dark.mask]) - dark.lightness
    sums = float(change.sum()), float(change[dark.specks].sum())
    count, looked_at, number = len(change), dark.mask.size, int(dark.inner.sum())
    if not number:
        return Darks(count, looked_at, 0, *sums)
    return Darks(count, looked_at, number, *sums, _colours(after, dark.inner) - dark.colours)


def _dark(side: Side) -> _Dark | None:
    """Return what is dark in a patch, or None where nothing is."""
    mask = cv2.GaussianBlur(side.tone, (0, 0), _DARK_BLUR) < _DARK
    if not mask.any():
        return None
    rest = (side.tone - cv2.medianBlur(side.tone, 5))[mask]
    specks = rest > _STANDS_OUT * (1.4826 * float(np.median(np.abs(rest))) + 0.5 / DISPLAY)
    inner = cv2.erode(mask.view(np.uint8), np.ones((_AROUND, _AROUND), np.uint8), borderValue=1).view(np.bool_)
    return _Dark(mask, lightness(side.pixels[mask]), specks, inner, _colours(side.pixels, inner))


def _colours(pixels: np.ndarray, inner: np.ndarray) -> np.ndarray:
    """Return sums over the inner pixels as `Darks.moved` has them."""
    if not inner.any():
        return np.zeros((3, 3))
    medians = cv2.medianBlur(np.ascontiguousarray(pixels), 5)
    in_light = encode_curve(cv2.blur(decode_curve(pixels), (_AROUND, _AROUND)))
    # One channel at a time: numpy is slow along so short an axis.
    return np.array([[p[..., c][inner].sum(dtype=np.float64) for c in range(3)] for p in (pixels, medians, in_light)])


def combine_darks(patches: Sequence[Darks]) -> tuple[float, float, float | None] | None:
    """Return over patches the mean change of L*, the part of it that specks make, and the cast in display values.
    None without dark pixels. The cast is the change of the channel that moved most, less the mean of all three; None
    with too few inner pixels.
    """
    pixels, looked_at, inner = (sum(getattr(d, name) for d in patches) for name in ("pixels", "looked_at", "inner"))
    if not pixels:
        return None
    return (
        sum(darks.lightness for darks in patches) / pixels,
        sum(darks.specks for darks in patches) / pixels,
        _cast(sum(darks.moved for darks in patches) / inner) if inner > _FEW * looked_at else None,
    )


def _cast(moved: np.ndarray) -> float:
    """Return the cast, display values, from how the channels changed (3, 3), see `Darks.moved`.

    Noise bends means: clipping at black removes its lower side, which raises them, and of noise in light the tone curve
    lowers them. Medians and means in light are bent otherwise, so the true change lies between the three. Within that
    range of each channel, the values that differ least are used.
    """
    low, high = moved.min(axis=0), moved.max(axis=0)
    nearest = np.clip((low.max() + high.min()) / 2, low, high)
    return float(np.abs(nearest - nearest.mean()).max() * DISPLAY)


def measure_highlights(sides: Sides) -> tuple[int, float]:
    """Return the number of bright pixels and the sum of their changes of tone, blurred so that noise plays no part."""
    mask = sides[0].derived(_bright)
    if not mask.any():
        return 0, 0.0
    before, after = (side.derived(_soft_tone)[mask] for side in sides)
    return len(before), float((after - before).sum())


def _soft_tone(side: Side) -> np.ndarray:
    return cv2.GaussianBlur(side.tone, (0, 0), 2.0)


def _bright(side: Side) -> np.ndarray:
    """Return which pixels are bright, and not white."""
    if side.tone.max() <= _BRIGHT:
        return np.zeros(side.tone.shape, bool)
    soft = side.derived(_soft_tone)
    return (soft > _BRIGHT) & (soft < _WHITE)


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
        return (measure_darks(patch.sides), measure_highlights(patch.sides))

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
