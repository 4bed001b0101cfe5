"""Where a rendered picture has too few samples: places that more of them would cure better than cleaning."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.survey import Points, Survey
from dustpan.core.picture.region import Region, Size

#: Deviation in display values past which more samples cure better than cleaning.
TOO_NOISY = 12.0
_CELL = 32  # px
_KEPT = 0.872  # of the deviation of white noise, what a Gaussian of 1 px does not hold
_OF_MEDIAN = 1.4826  # deviations of a normal distribution per median of its size
_SCALE = _OF_MEDIAN / _KEPT * 3**0.5 * DISPLAY  # of tones' median difference, to the luminance plane's deviation
_ROWS = 8 * _CELL  # of a band that is looked at in one go


@dataclass(frozen=True)
class Starved:
    """Places of a render with too few samples.

    Attributes
    ----------
    share : of the picture, 0 to 1.
    points : (x, y) of their middles, px.
    """

    share: float
    points: Points


def find_starved(survey: Survey) -> Starved:
    """Return where a rendered picture has too few samples; it is gone over once."""
    found = survey.looks.scan(starved_cells, bands(survey.size), name="starved")
    places = np.concatenate([cells for cells, _ in found])
    share = len(places) / max(sum(count for _, count in found), 1)
    return Starved(share, tuple((int(x), int(y)) for x, y in places))


def bands(size: Size) -> list[Region]:
    """Return bands of whole cells that cover a picture."""
    width, height = size
    return [(0, top, width, min(top + _ROWS, height)) for top in range(0, height, _ROWS)]


def starved_cells(tile: np.ndarray, region: Region) -> tuple[np.ndarray, int]:
    """Return the middles of cells whose noise is too strong, (n, 2) x and y, and how many cells there are.

    A cell's noise is estimated by the median size of what differs from its near surroundings: edges and single
    fireflies do not count.

    Parameters
    ----------
    tile : h x w x 3 working pixels of the region.
    """
    tone = tone_of(np.clip(tile, 0, 1))
    detail = np.abs(tone - cv2.GaussianBlur(tone, (0, 0), 1.0, borderType=cv2.BORDER_REFLECT))
    rows, columns = (max(side // _CELL, 1) for side in tone.shape)
    edges = [np.linspace(0, side, count + 1).astype(int) for side, count in zip(tone.shape, (rows, columns))]
    found = []
    for top, bottom in zip(edges[0][:-1], edges[0][1:]):
        for left, right in zip(edges[1][:-1], edges[1][1:]):
            noise = float(np.median(detail[top:bottom, left:right])) * _SCALE
            if noise > TOO_NOISY:
                found.append((region[0] + (left + right) // 2, region[1] + (top + bottom) // 2))
    return np.array(found, int).reshape(-1, 2), rows * columns
