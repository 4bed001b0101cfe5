"""The quick engine: sliding-transform cleaning of a colour tile at several scales."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.assumed import assume_noise
from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import clean_plane, halve, lay_under, window_mean
from dustpan.core.picture.region import Ends, Region
from dustpan.core.work.cancel import Check, no_check

_PADDING = (16, 32, 40)  # px past the picture's end for 1, 2 and 3 scales: whole windows of the coarsest
_LAST_WINDOWS = 8  # px at each scale that are added at the right
_SUPPORT = (16, 32, 44)  # px that the result looks around for 1, 2 and 3 scales
#: sigma(tone, scale, region) -> (3, h, w): deviation of the noise at that scale for a plane of tones spread over a
#: region of the tile (which may reach beyond it).
SigmaOf = Callable[[np.ndarray, int, Region], np.ndarray]


@dataclass(frozen=True)
class Cleaning:
    """How a tile is cleaned.

    Attributes
    ----------
    sigma : deviation of the noise over tone at a scale, for opponent planes.
    spectrum : (scales or more, 3, 8, 8) relative deviation of the DCT coefficients.
    strengths : parts of luminance and colour noise to take away, 0 to 1; larger is smoother.
    scales : 1 to 3; more reaches coarser blotches (noise up to about 8 * 2 ** (scales - 1) px).
    check : called between bands of rows; raises to cancel.
    reduced : octaves by which the tile itself is reduced.
    """

    sigma: SigmaOf
    spectrum: np.ndarray
    strengths: Sequence[float]
    scales: int = 3
    check: Check = no_check
    reduced: int = 0


def clean_tile(
    tile: np.ndarray, cleaning: Cleaning, *, ends: Ends = (True, True, True, True), left: int = 0
) -> np.ndarray:
    """Take noise out of a tile.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels; its corner stands at a multiple of 2 ** scales in the picture.
    ends : where the picture ends; the tile is reflected there, and at the other sides its rim is given up.
    left : column of the picture that the tile begins at.

    Returns
    -------
    H x W x 3 float32. Within `support(scales)` of a tile's inner border the result lacks neighbours.

    Notes
    -----
    A finer scale looks less far, so it is worked without the rim that only the coarser ones need.
    """
    padded, area = _pad_to_windows(tile, ends, cleaning.scales)
    pyramid = _pyramid(padded, cleaning.scales)
    laid, _, rim = _clean_scales(pyramid, area, left, cleaning)
    _without_rim(pyramid[0], rim)[:] = laid
    return _cut(pyramid[0], area, tile)


def change_by_coarser(picture: np.ndarray, cleaning: Cleaning) -> np.ndarray:
    """Return what all scales but the finest add to a whole picture cleaned at the finest, H x W x 3."""
    padded, area = _pad_to_windows(picture, (True, True, True, True), cleaning.scales)
    pyramid = _pyramid(padded, cleaning.scales)
    laid, alone, rim = _clean_scales(pyramid, area, 0, cleaning)
    _without_rim(pyramid[0], rim)[:] = laid - alone
    return _cut(pyramid[0], area, picture)


def _pyramid(padded: np.ndarray, scales: int) -> list[np.ndarray]:
    """Return the opponent planes of a tile, and the same reduced by 2, 4 and so on."""
    pyramid = [to_opponent(padded)]
    for _ in range(scales - 1):
        pyramid.append(np.stack([halve(plane) for plane in pyramid[-1]]))
    return pyramid


def _cut(planes: np.ndarray, area: Region, tile: np.ndarray) -> np.ndarray:
    """Return the pixels of a tile from padded planes."""
    height, width = tile.shape[:2]
    return from_opponent(planes[:, -area[1] : height - area[1], -area[0] : width - area[0]])


def support(scales: int) -> int:
    """Return how far, in pixels, the result looks, for 1, 2 or 3 scales."""
    return _SUPPORT[scales - 1]


def _pad_to_windows(tile: np.ndarray, ends: Ends, scales: int) -> tuple[np.ndarray, Region]:
    """Return a tile padded to whole windows where the picture ends, and its region counted from the tile's corner.

    At the right a little more: a kernel works the last few windows of a row one by one, and rounds otherwise.
    """
    height, width = tile.shape[:2]
    unit = 2 * 2 ** (scales - 1)
    left, top, right, bottom = (_PADDING[scales - 1] * end for end in ends)
    right += (_LAST_WINDOWS << (scales - 1)) * ends[2]
    right, bottom = right + -width % unit, bottom + -height % unit
    area = (-left, -top, width + right, height + bottom)
    if min(height, width) > max(left, top, right, bottom):
        return cv2.copyMakeBorder(tile, top, bottom, left, right, cv2.BORDER_REFLECT), area
    # A tile smaller than the padding is reflected more than once.
    return np.pad(tile, ((top, bottom), (left, right), (0, 0)), mode="symmetric"), area


def _clean_scales(
    pyramid: list[np.ndarray], area: Region, left: int, cleaning: Cleaning
) -> tuple[np.ndarray, np.ndarray, int]:
    """Clean the planes of a pyramid from the coarsest to the finest; each takes its low frequencies from the coarser.

    Returns
    -------
    Planes of the finest scale with the coarser ones laid under, the same without them, and the rim that both lack.
    """
    scales = len(pyramid)
    rims = [_PADDING[scales - 1] - _PADDING[scale] for scale in range(scales)]
    coarser, given_up = None, 0
    for scale in reversed(range(scales)):
        rim = rims[scale]
        inner = _without_rim(pyramid[scale], rim >> scale)
        region = (area[0] + rim, area[1] + rim, area[2] - rim, area[3] - rim)
        result = alone = _clean_planes(inner, scale, region, (left + region[0]) >> scale, cleaning)
        if coarser is not None:
            under = _without_rim(coarser, (rim - given_up) >> (scale + 1))
            result = np.stack([lay_under(fine, coarse) for fine, coarse in zip(alone, under, strict=True)])
        coarser, given_up = result, rim
    return result, alone, given_up


def _without_rim(planes: np.ndarray, rim: int) -> np.ndarray:
    return planes[:, rim : planes.shape[1] - rim, rim : planes.shape[2] - rim]


def _clean_planes(planes: np.ndarray, scale: int, region: Region, left: int, cleaning: Cleaning) -> np.ndarray:
    """Return opponent planes cleaned at one scale; those without noise or strength stay as they are."""
    tone = window_mean(planes[0]) / np.float32(3**0.5)
    spectrum = cleaning.spectrum[scale]
    sigma = assume_noise(planes[0], cleaning.sigma(tone, scale, region), spectrum, left=left)
    strengths = (cleaning.strengths[0], cleaning.strengths[1], cleaning.strengths[1])
    cleaned = np.empty_like(planes)
    for index, plane in enumerate(planes):
        if strengths[index] <= 0 or not sigma[index].any():
            cleaned[index] = plane
        else:
            cleaned[index] = clean_plane(
                plane,
                sigma=sigma[index],
                spectrum=spectrum[index],
                strength=strengths[index],
                passes=_passes(index, cleaning.reduced + scale, spectrum[index]),
                left=left,
                check=cleaning.check,
            )
    return cleaned


def _passes(plane: int, scale: int, spectrum: np.ndarray) -> int:
    """Return how many passes a plane needs at a scale.

    The coarsest scale only carries low frequencies. And where colour noise is coarse, as a mosaic makes it, the
    finest scale holds little of it: there a second pass costs a sixth of the time and gains nothing (measured: 0 to
    0.2 dB lost by it on camera pictures, 0.15 dB gained by it on white noise).
    """
    if scale >= 2:
        return 1
    coarse = spectrum[1:3, 1:3].mean() > 1.3 * spectrum[5:, 5:].mean()
    return 1 if plane > 0 and scale == 0 and coarse else 2
