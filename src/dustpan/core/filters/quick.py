"""The quick engine: sliding-transform cleaning of a colour tile at several scales."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import Check, _nothing, clean_plane, halve, lay_under, patch_mean

#: sigma(tone, scale, region) -> (3, h, w): deviation of the noise at that scale for a plane of tones spread over a
#: region of the tile (which may reach beyond it).
SigmaOf = Callable[[np.ndarray, int, tuple[int, int, int, int]], np.ndarray]


def clean_tile(
    tile: np.ndarray,
    *,
    sigma: SigmaOf,
    spectrum: np.ndarray,
    strengths: Sequence[float],
    scales: int = 3,
    check: Check = _nothing,
) -> np.ndarray:
    """Take noise out of a tile.

    Parameters
    ----------
    tile : H x W x 3 float32 working pixels; its corner stands at a multiple of 2 ** scales in the picture.
    sigma : deviation of the noise over tone at a scale, for opponent planes.
    spectrum : (scales or more, 3, 8, 8) relative deviation of the block coefficients.
    strengths : parts of luminance and colour noise to take away, 0 to 1.
    scales : 1 to 3; more reaches coarser blotches (noise up to about 8 * 2 ** (scales - 1) px).
    check : called between bands of rows; raises to cancel.

    Returns
    -------
    H x W x 3 float32. Within `support(scales)` of a tile's inner border the result lacks neighbours.
    """
    pad = support(scales)
    height, width = tile.shape[:2]
    unit = 2 * 2 ** (scales - 1)
    below, right = pad + -height % unit, pad + -width % unit
    padded = _pad(tile, pad, below, right)
    area = (-pad, -pad, width + right, height + below)
    pyramid = [to_opponent(padded)]
    for _ in range(scales - 1):
        pyramid.append(np.stack([halve(plane) for plane in pyramid[-1]]))
    result = None
    for scale in reversed(range(scales)):
        cleaned = _clean_scale(pyramid[scale], scale, area, sigma, spectrum[scale], strengths, check)
        if result is not None:
            cleaned = np.stack([lay_under(fine, coarse) for fine, coarse in zip(cleaned, result, strict=True)])
        result = cleaned
    assert result is not None
    return from_opponent(result[:, pad : pad + height, pad : pad + width])


def support(scales: int) -> int:
    """Return how far, in pixels, the result looks, for 1, 2 or 3 scales."""
    return (16, 32, 40)[scales - 1]


def _pad(tile, pad, below, right):
    """Pad by reflection; a tile smaller than the padding is reflected more than once."""
    if min(tile.shape[:2]) > max(below, right):
        return cv2.copyMakeBorder(tile, pad, below, pad, right, cv2.BORDER_REFLECT)
    return np.pad(tile, ((pad, below), (pad, right), (0, 0)), mode="symmetric")


def _clean_scale(planes, scale, area, sigma, spectrum, strengths, check):
    tone = patch_mean(planes[0]) / np.float32(3**0.5)
    level = sigma(tone, scale, area)
    parts = (strengths[0], strengths[1], strengths[1])
    cleaned = np.empty_like(planes)
    for index, plane in enumerate(planes):
        if parts[index] <= 0 or not level[index].any():
            cleaned[index] = plane
        else:
            cleaned[index] = clean_plane(
                plane, level=level[index], spectrum=spectrum[index], strength=parts[index],
                passes=1 if scale == 2 else 2, check=check,
            )  # fmt: skip
    return cleaned
