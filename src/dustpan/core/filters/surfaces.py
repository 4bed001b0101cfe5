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
from dustpan.core.kernels.regression import follow_features
from dustpan.core.picture.region import Region

SUPPORT = 20  # px that the result looks around
_AROUND = 2.0  # px, deviation of the surroundings that a regression sees
_COARSE = 2.5  # px, deviation of the blur past which detail stays in the picture
FINE, _GATHER = 1.0, 2.0  # px, deviations: of the blur that noise stands out of, and of the window it is gathered in
_RIDGE = np.float32(0.01)  # variance of a feature under which it is left out
_MOST = np.float32(40 / 255)  # by which a pixel may count as noise; what stands out more is a defect or a highlight
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
    said = _regression(tile, surface)
    rest = to_opponent(np.ascontiguousarray(tile - said))
    fine = [plane - _blur(plane, FINE) for plane in rest]
    energy = [_blur(np.minimum(plane * plane, _MOST**2), _GATHER) for plane in fine]
    return Explained(said - _blur(said, _COARSE), np.sqrt(np.stack(energy)))


def _regression(tile: np.ndarray, surface: np.ndarray) -> np.ndarray:
    features = np.ascontiguousarray(np.clip(surface, -_FARTHEST, _FARTHEST).transpose(2, 0, 1))
    channels = np.ascontiguousarray(tile.transpose(2, 0, 1))
    means = np.stack([_blur(plane, _AROUND) for plane in (*features, *channels)])
    squares = [_blur(first * second, _AROUND) for n, first in enumerate(features) for second in features[: n + 1]]
    crossed = [_blur(channel * feature, _AROUND) for channel in channels for feature in features]
    found = np.empty_like(channels)
    follow_features(features, means, np.stack(squares), np.stack(crossed), _RIDGE, found)
    return np.ascontiguousarray(found.transpose(1, 2, 0))


def _blur(plane: np.ndarray, deviation: float) -> np.ndarray:
    side = 2 * round(4 * deviation) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)
