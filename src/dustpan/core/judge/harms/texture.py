"""Texture: how much of the picture's own fine structure is still there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, NamedTuple

import cv2
import numpy as np
from scipy.fft import dct

from dustpan.core.judge.harms.harm import Harm, Measure, Side, Sides, SigmaOfTone, cut_squares, square_means
from dustpan.core.noise.model import DISPLAY

FLATTENED = Harm(
    "flattened", "texture_kept", 0.8, "texture flattened to {size:.0f} %", 100, below=True, unit="texture_told"
)

_BLUR = 0.9  # px, deviation of the blur before slopes are taken
_STRUCTURED = 2.0  # slope energy of a square, times that of its noise, from which it counts as structured
_FEW = 0.015  # share of the squares with structure, under which chance has made it
_SPECK = 12  # pixels of a square that the slopes of a hot pixel fill
_SPECK_SHARE = 0.5  # of the energy over the noise in so many pixels, from which it is a speck's
_OF_NOISE = 0.19  # share of its own energy that noise has in so many, the highest


def _over_distance(values: np.ndarray) -> np.ndarray:
    """Return (8,) the sums of products of values that lie so far apart."""
    alike = np.correlate(values, values, "full")[len(values) - 1 :]
    return np.pad(alike, (0, 8))[:8]


_KERNEL = cv2.getGaussianKernel(9, _BLUR)[:, 0]
_BOTH_WAYS = np.array([1.0, *[2.0] * 7])
_BLURRED = _BOTH_WAYS * _over_distance(_KERNEL)
_SLOPED = _BOTH_WAYS * _over_distance(np.convolve(_KERNEL, [0.5, 0, -0.5]))
#: From the variances of a block's frequencies (columns) the covariance of two pixels over their distance.
_TO_DISTANCE = np.linalg.inv(_BOTH_WAYS * [_over_distance(wave) for wave in dct(np.eye(8), axis=0, norm="ortho")])


def slope_gain(spectrum: np.ndarray) -> float:
    """Return the slope energy of noise of deviation 1 with a block spectrum, as `measure_texture` measures it.

    Parameters
    ----------
    spectrum : (8, 8) relative deviations of the block coefficients.
    """
    alike = _TO_DISTANCE @ np.asarray(spectrum, np.float64) ** 2 @ _TO_DISTANCE.T
    slopes = _BLURRED @ alike @ _SLOPED + _SLOPED @ alike @ _BLURRED
    return float(max(slopes, 0) / max(alike[0, 0], 1e-12))


def slopes_of(plane: np.ndarray) -> np.ndarray:
    """Return the slopes of a blurred plane along rows and columns, (2, h - 2, w - 2)."""
    soft = cv2.GaussianBlur(plane, (0, 0), _BLUR)
    return np.stack([(soft[1:-1, 2:] - soft[1:-1, :-2]) / 2, (soft[2:, 1:-1] - soft[:-2, 1:-1]) / 2])


def _speckled(energy: np.ndarray, noise: np.ndarray) -> np.ndarray:
    """Return the squares whose energy beyond the noise lies in a few pixels: specks, which are not texture."""
    values = cut_squares(energy)
    highest = np.partition(values, -_SPECK, axis=2)[..., -_SPECK:].sum(axis=2) / values.shape[2]
    return highest - _OF_NOISE * noise > _SPECK_SHARE * (values.mean(axis=2) - noise)


def _slopes(side: Side) -> np.ndarray:
    return slopes_of(side.tone * np.float32(3**0.5))


class Texture(NamedTuple):
    """Slope energy of the picture's structure.

    Attributes
    ----------
    kept, told, there : after a route, that can be kept, and before.
    structured, squares : number of squares with structure, and of all.
    """

    kept: float
    told: float
    there: float
    structured: int
    squares: int


def measure_texture(sides: Sides, sigma: SigmaOfTone, gain: float) -> Texture:
    """Return the slope energy of a patch's structure.

    Parameters
    ----------
    sides : a patch before and after.
    sigma : luminance noise over tone, before.
    gain : `slope_gain` of its spectrum.

    Notes
    -----
    Slopes of luminance before and after are multiplied, so that structure added by the route does not count. The energy
    of the noise is subtracted according to the noise model; only squares with more structure than noise count.

    No cleaning keeps all of a texture that is hardly stronger than the noise: an ideal (Wiener) filter keeps signal
    energy in the proportion of signal to total. That proportion is `told`.
    """
    slopes_before, slopes_after = (side.derived(_slopes) for side in sides)
    energies = (slopes_before**2).sum(axis=0)
    energy = square_means(energies)
    shared = square_means((slopes_before * slopes_after).sum(axis=0))
    noise = square_means(sigma(sides[0].tone[1:-1, 1:-1]) ** 2) * gain
    structured = (energy > (1 + _STRUCTURED) * noise + (0.2 / DISPLAY) ** 2) & ~_speckled(energies, noise)
    own = (energy - noise)[structured]
    # Where structure is strong, noise is kept with it: its share follows that of the whole square.
    each = own / np.maximum(energy[structured], 1e-12)
    sums = float((shared[structured] * each).sum()), float((own * each).sum()), float(own.sum())
    return Texture(*sums, len(own), structured.size)


def combine_texture(patches: Sequence[Texture]) -> tuple[float, float] | None:
    """Return the shares of the texture that are kept (1 is untouched), and that can be kept; None with hardly any."""
    kept, told, there, structured, squares = np.sum(patches, axis=0)
    return (float(kept / there), float(told / there)) if there > 0 and structured >= _FEW * squares else None


class TextureKept(Measure):
    """Texture that is still there."""

    figures: ClassVar = {
        "texture_kept": "share of the texture, 1 is untouched",
        "texture_told": "share of it that stands out of the noise",
    }
    harms = (FLATTENED,)

    def measure(self, patch):
        """Return what one patch adds."""
        return measure_texture(patch.sides, patch.sigma, patch.gain)

    def combine(self, found):
        """Return the figures over patches."""
        kept, told = combine_texture(found) or (None, 1.0)
        return {"texture_kept": kept, "texture_told": told}
