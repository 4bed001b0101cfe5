"""The mean of a rendered picture over what shows the same surface as each pixel.

It knows nothing of colours, so it does not take noise for structure; but it blurs what features do not show.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from dustpan.core.kernels.alike import average_alike

SUPPORT = 7  # px that the result looks around
_AROUND = 4.0  # px, deviation of the weights by distance
_OTHER = 0.3  # difference of features from which pixels show another surface


def mean_of_alike(tile: np.ndarray, surface: np.ndarray) -> np.ndarray:
    """Return h x w x 3 means over pixels of the same surface.

    Parameters
    ----------
    tile : h x w x 3 float32 working pixels.
    surface : h x w x k feature channels, scaled so that a difference of 1 is clearly another surface.

    References
    ----------
    Petschnigg, G. et al. (2004), Digital photography with flash and no-flash image pairs, doi 10.1145/1015706.1015777:
    weights that follow another picture than the one that is averaged.
    """
    channels, features = (_with_rim(planes) for planes in (tile, surface))
    found = np.empty((3, *tile.shape[:2]), np.float32)
    average_alike(channels, features, _weights(), np.float32(1 / _OTHER**2), found)
    return np.ascontiguousarray(found.transpose(1, 2, 0))


def _with_rim(planes: np.ndarray) -> np.ndarray:
    """Return (k, h + 2 r, w + 2 r) planes, mirrored at the ends."""
    rim = (SUPPORT, SUPPORT)
    return np.pad(planes.transpose(2, 0, 1), ((0, 0), rim, rim), mode="symmetric").astype(np.float32, order="C")


@cache
def _weights() -> np.ndarray:
    """Return weights of a disc by distance."""
    squares = np.square(np.arange(-SUPPORT, SUPPORT + 1, dtype=np.float32))
    apart = squares[:, None] + squares
    weights = np.where(apart <= (SUPPORT + 0.5) ** 2, np.exp(-apart / np.float32(2 * _AROUND**2)), 0)
    return np.ascontiguousarray(weights, np.float32)
