"""Find and mend hot sites of a sensor's mosaic, before it is interpolated."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.specks import RING
from dustpan.core.kernels.specks import mark_in_mosaic


def mend_mosaic(
    mosaic: np.ndarray,
    colours: np.ndarray,
    *,
    sigma: np.ndarray,
    sensitivity: float,
    polarity: int,
    spare_stars: bool,
    kept: np.ndarray | None = None,
    more: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """Mark the hot sites of a sensor's mosaic, and fill them.

    Before interpolation a hot pixel is one site, so it is filled by the median of the same-colour sites within 3 px. A
    rim of 3 px is left out.

    Parameters
    ----------
    mosaic : (H, W) float32 light.
    colours : (H, W) uint8, colour of each site.
    sigma : (H, W) float32, deviation of the noise.
    sensitivity, polarity : as for `specks.judge_peaks`.
    spare_stars : leave points of light that spread into their neighbours as through a lens.
    kept, more : (H, W) bool, sites that are left alone, and sites that are filled whatever they show.

    Returns
    -------
    Marks (H, W) bool, and the mosaic with the marked sites filled.
    """
    marks = np.zeros(mosaic.shape, np.bool_)
    plane, noise = (np.require(a, np.float32, ("C", "W")) for a in (mosaic, sigma))
    filled = plane.copy()
    sites = np.require(colours, np.uint8, ("C", "W"))
    mark_in_mosaic(plane, sites, noise, np.float32(sensitivity), polarity, spare_stars, marks, filled)
    if kept is not None:
        marks &= ~kept
        filled = np.where(kept, plane, filled)
    for row, column in np.argwhere(more & ~marks) if more is not None else ():
        filled[row, column] = _median_of_colour(plane, sites, row, column)
        marks[row, column] = True
    return marks, filled


def _median_of_colour(plane: np.ndarray, sites: np.ndarray, row: int, column: int) -> np.float32:
    """Return the median of the other sites of a site's colour within 3 px, or its own value where there are none."""
    area = np.s_[max(row - RING, 0) : row + RING + 1, max(column - RING, 0) : column + RING + 1]
    alike = sites[area] == sites[row, column]
    alike[min(row, RING), min(column, RING)] = False
    return np.median(plane[area][alike]) if alike.any() else plane[row, column]
