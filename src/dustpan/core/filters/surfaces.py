"""What the surfaces of a rendered picture explain: detail that is theirs, and noise that is not.

References
----------
Rousselle, F., Manzi, M. and Zwicker, M. (2013), Robust denoising using feature and color information,
    doi 10.1111/cgf.12219.
Bitterli, B. et al. (2016), Nonlinearly weighted first-order regression for denoising Monte Carlo renderings,
    doi 10.1111/cgf.12954.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.dct import double, halve
from dustpan.core.kernels.regression import fit_features
from dustpan.core.picture.region import Region

SUPPORT = 24  # px that the result looks around
_ROW = 32  # px, of whose multiples rows are made
_AROUND = 2.0  # px, deviation of the surroundings that a regression sees
_COARSE = 2.5  # px, deviation of the blur past which detail stays in the picture
FINE, _GATHER = 1.0, 3.0  # px, deviations: of the blur that noise stands out of, and of the window it is gathered in
_RIDGE = np.float32(0.01)  # variance of a feature under which it is left out
_MOST = np.float32(160 / 255)  # that a pixel counts for; glints in metal are noise as strong as that
_NEAR = np.ones((5, 5), np.uint8)  # px within whose range of values a pixel stays
_FARTHEST = np.float32(20.0)  # from their means that features are followed


@dataclass(frozen=True, eq=False)
class Explained:
    """A tile as its surfaces explain it.

    Attributes
    ----------
    detail : (3, h, w) fine detail that is the surfaces' own.
    unexplained : (3, h, w) local deviation of the fine rest.
    """

    detail: np.ndarray
    unexplained: np.ndarray

    def cut(self, inner: tuple[slice, ...]) -> Explained:
        """Return the same of a part of the tile, given by slices of its planes."""
        return Explained(self.detail[inner], self.unexplained[inner])

    def louder(self, tone_sigma: np.ndarray, gain: np.ndarray, part: Region, step: int) -> np.ndarray:
        """Return by which factors, (3, h, w) of at least 1, noise is stronger here than elsewhere at the same tone.

        Parameters
        ----------
        tone_sigma : (3, h, w) deviations by tone, at full size, at points that lie `step` px apart.
        gain : (3,) what the fine rest keeps of the noise.
        part : region of the tile that the points cover; it may reach beyond.
        """
        height, width = self.unexplained.shape[1:]
        rows, columns = (
            np.clip(first + step * np.arange(count) + 2 * step, 0, side - 1)
            for first, count, side in ((part[1], tone_sigma.shape[1], height), (part[0], tone_sigma.shape[2], width))
        )
        here = self.unexplained[:, rows[:, None], columns]
        return np.maximum(here / np.maximum(tone_sigma * gain[:, None, None], np.float32(1e-6)), np.float32(1))


def explain(planes: np.ndarray, surface: np.ndarray) -> Explained:
    """Return what surfaces explain of a tile.

    Parameters
    ----------
    planes : (3, h, w) opponent planes of its working pixels.
    surface : (k, h, w) feature channels, scaled so that a difference of 1 is another surface.

    Notes
    -----
    Around each pixel the planes are a linear function of the features. What that explains and is fine is detail, and
    what it leaves is noise, which a renderer leaves stronger at some places than at others of the same tone.
    """
    height, width = planes.shape[1:]
    padded = _lengthened(planes)
    said = _regression(padded, _lengthened(np.clip(surface, -_FARTHEST, _FARTHEST)))
    detail, unexplained = np.empty_like(said), np.empty_like(said)
    for n, plane in enumerate(said):
        detail[n] = plane - _blur(plane, _COARSE)
        rest = padded[n] - plane
        fine = np.clip(rest - _blur(rest, FINE), -_MOST, _MOST)
        unexplained[n] = np.sqrt(double(_blur(halve(fine * fine), _GATHER / 2)))
    return Explained(detail[:, :height, :width], unexplained[:, :height, :width])


def _lengthened(planes: np.ndarray) -> np.ndarray:
    """Return (k, h, w) planes mirrored beyond their right end up to whole `_ROW` px, and to an even height.

    A blur would round the last values of other rows otherwise, and a tile differ from the whole picture.
    """
    height, width = planes.shape[1:]
    return np.pad(planes, ((0, 0), (0, height % 2), (0, _ROW + -width % _ROW)), mode="symmetric")


def _regression(channels: np.ndarray, features: np.ndarray) -> np.ndarray:
    """Return what the features say of each pixel, (3, h, w); both sides even.

    Notes
    -----
    Slopes change slowly: they are found on planes of half the size and enlarged (He and Sun 2015, arXiv 1505.00996).
    """
    fits = _fit([halve(plane) for plane in features], [halve(plane) for plane in channels])
    found = np.empty_like(channels)
    for channel, fit in zip(found, fits, strict=True):
        channel[:] = double(fit[-1])
        for slope, feature in zip(fit, features, strict=False):
            cv2.accumulateProduct(double(slope), feature, channel)
    for said, channel in zip(
        found, channels, strict=True
    ):  # features of a silhouette's pixels may be far off any other
        np.clip(said, cv2.erode(channel, _NEAR), cv2.dilate(channel, _NEAR), out=said)
    return found


def _fit(features: list[np.ndarray], channels: list[np.ndarray]) -> np.ndarray:
    """Return how channels follow from features around each pixel of halved planes; see `fit_features`."""
    count, shape = len(features), features[0].shape
    means = np.empty((count + 3, *shape), np.float32)
    squares, crossed = (
        np.empty((count * (count + 1) // 2, *shape), np.float32),
        np.empty((3 * count, *shape), np.float32),
    )
    fits = np.empty((3, count + 1, *shape), np.float32)
    _blur_each((*features, *channels), means)
    _blur_each((first * second for n, first in enumerate(features) for second in features[: n + 1]), squares)
    _blur_each((channel * feature for channel in channels for feature in features), crossed)
    flat = (planes.reshape(len(planes), -1) for planes in (means, squares, crossed))
    fit_features(*flat, _RIDGE, fits.reshape(3, count + 1, -1))
    return fits


def _blur_each(planes: Iterable[np.ndarray], into: np.ndarray) -> None:
    """Fill in the means over the surroundings that a regression sees, of halved planes."""
    for plane, found in zip(planes, into, strict=True):
        _blur(plane, _AROUND / 2, found)


def _blur(plane: np.ndarray, deviation: float, into: np.ndarray | None = None) -> np.ndarray:
    side = 2 * round(3 * deviation) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, into, borderType=cv2.BORDER_REFLECT)
