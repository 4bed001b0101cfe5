"""Undo what black and white did to the mean of noise that they cut off.

Noise around a dark tone that a file cuts off at black leaves a mean above that tone: cleaned darks stay milky, and a
saturated colour, cut off in one channel alone, changes its hue.

References
----------
Foi, A. (2009), Clipped noisy images: Heteroskedastic modeling and practical denoising,
    doi 10.1016/j.sigpro.2009.04.018.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import scipy

from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.kernels.pixelwise import hold_pixels_within

SUPPORT = 4  # px that the result looks around
_ENTRIES = 1025  # of the table over cleaned values
_END = 0.25 / 255  # from black and white, where restored tones end: they are not to pass for clipped
_LEAST = 0.5 / 255  # deviation under which nothing is cut off that could be seen


def restore_cut_off(cleaned: np.ndarray, deviations: np.ndarray, strengths: tuple[float, float]) -> np.ndarray:
    """Return cleaned pixels moved to where they were before noise was cut off.

    Parameters
    ----------
    cleaned : h x w x 3 float32 working pixels.
    deviations : (3,) of the noise of red, green and blue before it was cut off, the same at all tones.
    strengths : parts of luminance and colour noise that were taken away, 0 to 1.
    """
    if max(deviations) < _LEAST:
        return cleaned
    # Where noise is left, the mean is taken over the neighbours too.
    left = np.float32(1 - min(strengths))
    mean = (
        cleaned if left <= 0 else cleaned + left * (cv2.blur(cleaned, (5, 5), borderType=cv2.BORDER_REFLECT) - cleaned)
    )
    shift = np.stack([_look_up(mean[..., n], float(deviations[n])) for n in range(3)], axis=2)
    planes = to_opponent(shift)
    planes *= np.array([strengths[0], strengths[1], strengths[1]], np.float32)[:, None, None]
    return cleaned + from_opponent(planes)


def hold_within(noisy: np.ndarray, cleaned: np.ndarray) -> np.ndarray:
    """Return cleaned pixels that pass black or white no farther than some noisy one around them does.

    A mean lies among the values that it is of. But planes are cleaned apart, and where noise is strong in one channel
    and weak in another, as behind a shoulder, some of the one's is taken off the other.
    """
    noisy, held = np.require(noisy, np.float32, ("C", "W")), np.array(cleaned, np.float32, order="C")
    hold_pixels_within(noisy, SUPPORT, noisy.min(), noisy.max(), held)
    return held


def _look_up(mean: np.ndarray, deviation: float) -> np.ndarray:
    table = _shifts(round(deviation, 4))
    index = np.clip(mean * np.float32(_ENTRIES - 1) + np.float32(0.5), 0, _ENTRIES - 1).astype(np.int32)
    return table[index]


@lru_cache(maxsize=64)
def _shifts(deviation: float) -> np.ndarray:
    """Return what is to be added to means from 0 to 1."""
    if deviation < _LEAST:
        return np.zeros(_ENTRIES, np.float32)
    tones = np.linspace(_END, 1 - _END, 4 * _ENTRIES)
    means = np.linspace(0, 1, _ENTRIES)
    return (np.interp(means, cut_off_mean(tones, deviation), tones) - means).astype(np.float32)


def cut_off_mean(tone: np.ndarray, deviation: float) -> np.ndarray:
    """Return the mean of normal noise of a deviation around tones, cut off at 0 and 1."""
    return cut_off_moments(tone, deviation)[0]


def cut_off_deviation(tone: np.ndarray, deviation: float) -> np.ndarray:
    """Return the deviation that normal noise of a deviation around tones keeps, cut off at 0 and 1.

    The tones are means after the cut, as they are found in a picture.
    """
    before = np.linspace(-3 * deviation, 1 + 3 * deviation, 4 * _ENTRIES)
    mean, square = cut_off_moments(before, deviation)
    return np.interp(tone, mean, np.sqrt(np.maximum(square - mean**2, 1e-12)))


def cut_off_moments(tone: np.ndarray, deviation: float) -> tuple[np.ndarray, np.ndarray]:
    """Return the means, around tones, of normal noise of a deviation cut off at 0 and 1, and of its square."""
    low, high = -tone / deviation, (1 - tone) / deviation
    below, above = scipy.special.ndtr(low), scipy.special.ndtr(-high)
    density = [np.exp(-0.5 * at**2) / (2 * np.pi) ** 0.5 for at in (low, high)]
    inside = 1 - below - above
    mean = tone * inside + deviation * (density[0] - density[1])
    square = (tone**2 + deviation**2) * inside + 2 * tone * deviation * (density[0] - density[1])
    square += deviation**2 * (low * density[0] - high * density[1])
    return mean + above, square + above
