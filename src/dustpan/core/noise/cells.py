"""Noise from small cells of a picture: the flattest of them tell it, as texture only adds."""

from __future__ import annotations

import numpy as np

CELL = 24  # px, side; whole periods of every pattern of a sensor
FLAT = 0.25  # the quantile over cells that counts
_BIAS = 0.94  # how low that quantile lies by chance alone
_MEDIAN = 0.4549  # median of the square of a normal deviate of variance 1


def cut_cells(planes: np.ndarray) -> np.ndarray:
    """Return (cells, CELL * CELL, ...) values of an (h, w, ...) array; what is left over at the ends is dropped."""
    rows, columns, rest = planes.shape[0] // CELL, planes.shape[1] // CELL, planes.shape[2:]
    cut = planes[: rows * CELL, : columns * CELL].reshape(rows, CELL, columns, CELL, *rest)
    return cut.swapaxes(1, 2).reshape(rows * columns, CELL * CELL, *rest)


def variance_in_cells(squares: np.ndarray) -> np.ndarray:
    """Return (cells, ...) variance of normal deviates from an (h, w, ...) array of their squares; bears outliers."""
    return np.median(cut_cells(squares), axis=1) / _MEDIAN


def flat_value(variances: np.ndarray) -> float:
    """Return the variance that the flattest of some cells agree on."""
    return float(np.quantile(variances, FLAT)) / _BIAS
