"""Pull a roughly drawn cover to the outline of what it covers, found on a reduced picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.filters.planes import follow_picture, guided_planes, sample_plane, shrink_to
from dustpan.core.picture.region import Region, Size

_LONGEST = 560  # px of the reduced picture
RADII = (0.06, 0.035, 0.015)  # of its longer side, from turn to turn
_SOFT = 0.02**2  # variance of colour that still counts as one thing
_STEEP = 2.2  # by which the rim is made steeper after each turn


@dataclass(frozen=True, eq=False)
class Outline:
    """A cover as a local linear function of the picture's colour: h x w x 4 planes of slopes and offset."""

    planes: np.ndarray

    def cover(self, tile: np.ndarray, region: Region, size: Size) -> np.ndarray:
        """Return (h, w) shares of a region from its working pixels, h x w x 3."""
        extent = (region[0] / size[0], region[1] / size[1], region[2] / size[0], region[3] / size[1])
        return _steeper(follow_picture(sample_plane(self.planes, extent, (tile.shape[0], tile.shape[1])), tile))


def reduced(overview: np.ndarray) -> np.ndarray:
    """Return the picture that outlines are looked for in."""
    return shrink_to(np.ascontiguousarray(overview, np.float32), _LONGEST)


def find_outline(picture: np.ndarray, cover: np.ndarray, radii: Sequence[float] = RADII) -> Outline:
    """Return the outline that a cover is pulled to.

    Parameters
    ----------
    picture : h x w x 3 float32, reduced.
    cover : (h, w) float32, 0 to 1.
    radii : of the windows, from turn to turn, in parts of the longer side.

    References
    ----------
    He, K. and Sun, J. (2015), Fast guided filter, arXiv 1505.00996: the planes of a reduced picture, used at full size.
    """
    for part in radii:
        planes = guided_planes(picture, cover, max(round(part * max(cover.shape)), 1), _SOFT)
        cover = _steeper(follow_picture(planes, picture))
    return Outline(planes)


def _steeper(cover: np.ndarray) -> np.ndarray:
    return np.clip((cover - 0.5) * np.float32(_STEEP) + 0.5, 0, 1).astype(np.float32)
