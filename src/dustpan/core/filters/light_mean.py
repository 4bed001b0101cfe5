"""Restore the mean of noise that was there in light, and that cleaning averaged in display values.

Display values rise with light ever more slowly, and black cuts off what falls below it. The mean of noisy display
values is therefore not the display value of the mean light: cleaned darks come out up to a dozen levels too dark where
noise is strong, and too light next to black. What cleaning takes away shows how strong the noise is at each place.

References
----------
Makitalo, M. and Foi, A. (2013), Optimal inversion of the generalized Anscombe transformation for Poisson-Gaussian
    noise, doi 10.1109/TIP.2012.2202675 (the same error behind another curve);
Foi, A. (2009), Clipped noisy images: Heteroskedastic modeling and practical denoising,
    doi 10.1016/j.sigpro.2009.04.018.
"""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import scipy

from dustpan.core.kernels.light import look_up_shifts, means_of_cells
from dustpan.core.picture.curve import decode_curve, encode_curve

SUPPORT = 8  # px that the result looks around: four cells
_CELL = 2  # px, side of the cells that means are taken over
_POWER_BLUR, _MEAN_BLUR, _REACH = 1.15, 0.88, 3  # cells, deviations of the smoothing and where it ends
_ROW = 16  # cells of a row that are blurred together
_TAPS = (2 * _REACH + 1, 2 * _REACH + 1)
_LEAST_TAKEN = 0.2  # part of the noise that was taken away, under which its strength is known no better
_FARTHEST = 3.0  # deviations of noise at most
_BLACK, _TOWARDS_BLACK = 6 / 255, 0.6  # display value from which darks may be moved down, and by how much of the rest
_SMOOTHED = 0.2  # of the deviation, that shifts are smoothed over means by
_FADING = (0.9, 1.0)  # display values over which the shift ends: what white and shoulders did is not known
_MEANS, _DEVIATIONS, _WIDEST = 201, 61, 0.3  # entries of the table, and its largest deviation


def restore_light_mean(
    noisy: np.ndarray,
    cleaned: np.ndarray,
    power: np.ndarray,
    *,
    strengths: tuple[float, float],
    louder: np.ndarray,
    part: float = 1.0,
) -> np.ndarray:
    """Return cleaned pixels moved to the display value of the mean light.

    Parameters
    ----------
    noisy, cleaned : h x w x 3 float32 working pixels, from an even row and column of the picture on.
    power : (h, w) variance of the noise, all channels together; what stands out of it by far is not counted.
    strengths : parts of luminance and of colour noise that were taken away, 0 to 1.
    louder : (3,) deviations of the opponent planes' noise at full size beside those of these pixels: over 1 in a
        reduced picture, whose means were moved before it was reduced.
    part : of the shift, that is wanted.

    Returns
    -------
    h x w x 3 float32; looks `SUPPORT` px around.
    """
    taken = np.array([strengths[0], strengths[1], strengths[1]], np.float32)
    gains = np.asarray(louder, np.float32) / np.maximum(taken, np.float32(_LEAST_TAKEN))
    noisy, cleaned, power = (np.require(plane, np.float32, ("C", "W")) for plane in (noisy, cleaned, power))
    height, width = power.shape
    powers, means = np.empty((2, -(-height // _CELL), -(-width // _CELL), 3), np.float32)
    means_of_cells(noisy, cleaned, gains, power, _FARTHEST**2 * louder.max() ** 2, powers, means)
    around, shifts = _blurred(powers, _POWER_BLUR), _blurred(means, _MEAN_BLUR)
    scales = np.array([_MEANS - 1, (_DEVIATIONS - 1) / _WIDEST], np.float32)
    look_up_shifts(shifts, around, _shifts(), scales, taken * np.float32(part))
    spread = cv2.resize(shifts, (_CELL * shifts.shape[1], _CELL * shifts.shape[0]), interpolation=cv2.INTER_LINEAR)
    return cleaned + spread[:height, :width]


def _blurred(cells: np.ndarray, deviation: float) -> np.ndarray:
    """Return cells (h, w, 3) blurred, the same to the last bit in every tile.

    The blur rounds the last few values of a row otherwise, so rows are lengthened to whole multiples of them.
    """
    width = cells.shape[1]
    more = -width % _ROW
    if more:
        cells = cv2.copyMakeBorder(cells, 0, 0, 0, more + _ROW * (more < _REACH), cv2.BORDER_REFLECT)
    blurred = cv2.GaussianBlur(cells, _TAPS, deviation, borderType=cv2.BORDER_REFLECT)
    return np.ascontiguousarray(blurred[:, :width])


@cache
def _shifts() -> np.ndarray:
    """Return what is to be added to means from 0 to 1 (rows) for each deviation of the noise (columns), float32.

    Next to black a mean and a deviation hardly fix a tone, so that darks are not moved down all the way. Smoothed over
    the means: where shifts change fast, they would make what is left of the noise louder.
    """
    means, deviations = np.linspace(0, 1, _MEANS), np.linspace(0, _WIDEST, _DEVIATIONS)
    tones = np.concatenate([-(np.linspace(1, 0, 48, endpoint=False) ** 2), np.linspace(0, 1.4, 281)])
    mean_of = np.stack([_means_at(tone, deviations) for tone in tones])  # tones x deviations
    at = [np.interp(means, np.maximum.accumulate(column), np.maximum(tones, 0)) for column in mean_of.T]
    shift = np.stack(at, axis=1) - means[:, None]
    least = -_TOWARDS_BLACK * np.maximum(means - _BLACK, 0)
    fading = np.interp(means, _FADING, (1, 0))
    table = np.maximum(shift, least[:, None]) * fading[:, None]
    for column, deviation in enumerate(deviations[1:], 1):
        table[:, column] = scipy.ndimage.gaussian_filter1d(
            table[:, column], _SMOOTHED * deviation * (_MEANS - 1), mode="nearest"
        )
    return np.ascontiguousarray(table, np.float32)


def _means_at(tone: float, deviations: np.ndarray) -> np.ndarray:
    """Return the mean display value for noise in light around a tone (below 0 too), by its deviation in display values.

    Values below black are cut off; there is no white.
    """
    at = np.linspace(-4, 4, 161, dtype=np.float32)
    weight = np.exp(-(at**2) / 2) / np.exp(-(at**2) / 2).sum()
    strengths = np.concatenate([[0], np.geomspace(3e-5, 1.0, 120)]).astype(np.float32)
    light = decode_curve(np.array(tone)) + strengths[:, None] * at
    display = encode_curve(np.maximum(light, 0))
    mean = display @ weight
    deviation = np.sqrt(np.maximum(display**2 @ weight - mean**2, 0))
    return np.interp(deviations, np.maximum.accumulate(deviation), mean)
