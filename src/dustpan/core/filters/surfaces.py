"""What the surfaces of a rendered picture explain: detail that is theirs, and noise that is not.

References
----------
Rousselle, F., Manzi, M. and Zwicker, M. (2013), Robust denoising using feature and color information,
    doi 10.1111/cgf.12219.
Bitterli, B. et al. (2016), Nonlinearly weighted first-order regression for denoising Monte Carlo renderings,
    doi 10.1111/cgf.12954.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.dct import double, halve
from dustpan.core.kernels.regression import fit_features
from dustpan.core.picture.region import Region

SUPPORT = 28  # px that the result looks around
_ROW = 32  # px, of whose multiples rows are made
_AROUND = 2.0  # px, deviation of the surroundings that a regression sees
_COARSE = 2.5  # px, deviation of the blur past which detail stays in the picture
FINE, _GATHER = 1.0, 3.0  # px, deviations: of the blur that noise stands out of, and of the window it is gathered in
_RIDGE = np.float32(0.01)  # variance of a feature under which it is left out
_MOST = np.float32(160 / 255)  # that a pixel counts for; glints in metal are noise as strong as that
_FARTHEST = np.float32(20.0)  # from their means that features are followed


@dataclass(frozen=True, eq=False)
class Explained:
    """A tile as its surfaces explain it.

    Attributes
    ----------
    detail : h x w x 3, fine detail that is the surfaces' own.
    unexplained : (3, h, w) local deviation of the fine rest in the opponent planes.
    """

    detail: np.ndarray
    unexplained: np.ndarray

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


def explain(tile: np.ndarray, surface: np.ndarray) -> Explained:
    """Return what surfaces explain of a tile.

    Parameters
    ----------
    tile : h x w x 3 working pixels.
    surface : h x w x k feature channels, scaled so that a difference of 1 is another surface.

    Notes
    -----
    Around each pixel the channels are a linear function of the features. What that explains and is fine is detail, and
    what it leaves is noise, which a renderer leaves stronger at some places than at others of the same tone.
    """
    height, width = tile.shape[:2]
    padded = _lengthened(tile)
    said = _regression(padded, _lengthened(np.clip(surface, -_FARTHEST, _FARTHEST)))
    rest = to_opponent(padded - said)
    fine = [plane - _blur(plane, FINE) for plane in rest]
    energy = [_blur(np.minimum(plane * plane, _MOST**2), _GATHER) for plane in fine]
    detail, unexplained = said - _blur(said, _COARSE), np.sqrt(np.stack(energy))
    return Explained(detail[:height, :width], unexplained[:, :height, :width])


def _lengthened(planes: np.ndarray) -> np.ndarray:
    """Return h x w x k planes mirrored beyond their right end up to whole `_ROW` px, and to an even height.

    A blur would round the last values of other rows otherwise, and a tile differ from the whole picture.
    """
    height, width = planes.shape[:2]
    return np.pad(planes, ((0, height % 2), (0, _ROW + -width % _ROW), (0, 0)), mode="symmetric")


def _regression(tile: np.ndarray, surface: np.ndarray) -> np.ndarray:
    """Return what the features say of each pixel, h x w x 3; both sides even.

    Notes
    -----
    Slopes change slowly: they are found on planes of half the size and enlarged (He and Sun 2015, arXiv 1505.00996).
    """
    features, channels = (list(np.ascontiguousarray(p.transpose(2, 0, 1), np.float32)) for p in (surface, tile))
    fits = _fit([halve(plane) for plane in features], [halve(plane) for plane in channels])
    found = np.empty((3, *tile.shape[:2]), np.float32)
    for channel, fit in zip(found, fits, strict=True):
        *slopes, channel[:] = (double(plane) for plane in fit)
        for slope, feature in zip(slopes, features, strict=True):
            channel += slope * feature
    return np.ascontiguousarray(found.transpose(1, 2, 0))


def _fit(features: list[np.ndarray], channels: list[np.ndarray]) -> np.ndarray:
    """Return how channels follow from features around each pixel of halved planes; see `fit_features`."""
    around = _AROUND / 2
    means = np.stack([_blur(plane, around) for plane in (*features, *channels)])
    squares = [_blur(first * second, around) for n, first in enumerate(features) for second in features[: n + 1]]
    crossed = [_blur(channel * feature, around) for channel in channels for feature in features]
    fits = np.empty((3, len(features) + 1, *features[0].shape), np.float32)
    fit_features(means, np.stack(squares), np.stack(crossed), _RIDGE, fits)
    return fits


def _blur(plane: np.ndarray, deviation: float) -> np.ndarray:
    side = 2 * round(4 * deviation) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)
