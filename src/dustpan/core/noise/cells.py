"""Noise variance in small cells of a picture. Texture only adds variance, so the cells with least are used."""

from __future__ import annotations

import numpy as np

CELL = 24  # px, side: whole periods of every pattern of a sensor
FLAT = 0.25  # quantile over cells
_BIAS = 0.94  # of that quantile where all cells hold the same noise
_MEDIAN_OF_SQUARE = 0.4549  # of a normal deviate of variance 1


def cut_cells(planes: np.ndarray) -> np.ndarray:
    """Return the (cells, CELL * CELL, ...) values of an (h, w, ...) array; incomplete cells are dropped."""
    rows, columns, rest = planes.shape[0] // CELL, planes.shape[1] // CELL, planes.shape[2:]
    cut = planes[: rows * CELL, : columns * CELL].reshape(rows, CELL, columns, CELL, *rest)
    return cut.swapaxes(1, 2).reshape(rows * columns, CELL * CELL, *rest)


def variance_in_cells(squares: np.ndarray) -> np.ndarray:
    """Return the (cells, ...) robust variance of normal deviates from an (h, w, ...) array of their squares."""
    return np.median(cut_cells(squares), axis=1) / _MEDIAN_OF_SQUARE


def flat_variance(variances: np.ndarray) -> float:
    """Return the noise variance from that of many cells: a low quantile, corrected for its own bias."""
    return float(np.quantile(variances, FLAT)) / _BIAS
