"""The mean of a rendered picture over what shows the same surface as each pixel.

It knows nothing of colours, so it does not take noise for structure; but it blurs what features do not show.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from dustpan.core.kernels.alike import average_alike

SUPPORT = 7  # px that the result looks around
_AROUND = 6.0  # px, deviation of the weights by distance
_CLOSE, _EACH = 3, 2  # px within which all pixels count; farther away every second one, for two
_OTHER = 0.3  # difference of features from which pixels show another surface


def mean_of_alike(planes: np.ndarray, surface: np.ndarray) -> np.ndarray:
    """Return (3, h, w) means over pixels of the same surface.

    Parameters
    ----------
    planes : (3, h, w) float32.
    surface : (k, h, w) feature channels, scaled so that a difference of 1 is clearly another surface.

    References
    ----------
    Petschnigg, G. et al. (2004), Digital photography with flash and no-flash image pairs, doi 10.1145/1015706.1015777:
    weights that follow another picture than the one that is averaged.
    """
    channels = _with_rim(planes)
    sums = np.concatenate([np.ones_like(channels[:1]), channels])  # each pixel itself
    average_alike(channels, _with_rim(_by_fours(surface)), *_neighbours(), np.float32(1 / _OTHER**2), sums)
    total, *colours = sums[:, SUPPORT:-SUPPORT, SUPPORT:-SUPPORT]
    return np.stack([colour / total for colour in colours])


def _with_rim(planes: np.ndarray) -> np.ndarray:
    """Return (k, h + 2 r, w + 2 r) planes, mirrored at the ends."""
    rim = (SUPPORT, SUPPORT)
    return np.pad(planes, ((0, 0), rim, rim), mode="symmetric").astype(np.float32, order="C", copy=False)


def _by_fours(surface: np.ndarray) -> np.ndarray:
    """Return feature channels with empty ones behind them, as many as the kernel compares side by side."""
    return np.pad(surface, ((0, -surface.shape[0] % 4), (0, 0), (0, 0)))


@cache
def _neighbours() -> tuple[np.ndarray, np.ndarray]:
    """Return (n, 2) distances across and down, one of each pair of opposite ones, and (n,) weights by distance."""
    down, across = np.mgrid[: SUPPORT + 1, -SUPPORT : SUPPORT + 1]
    apart = down**2 + across**2
    close = apart <= _CLOSE**2
    used = (apart <= (SUPPORT + 0.5) ** 2) & ((down > 0) | (across > 0)) & (close | ((down + across) % _EACH == 0))
    weights = np.where(close, 1, _EACH) * np.exp(-apart / (2 * _AROUND**2))
    return np.stack([across[used], down[used]], axis=1).astype(np.int64), weights[used].astype(np.float32)
