"""Local linear regression of a picture's channels on feature planes, pixel by pixel."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel


@helper
def _factor(matrix, count):
    """Replace a symmetric positive matrix by its lower Cholesky factor."""
    for i in range(count):
        for j in range(i + 1):
            rest = matrix[i, j]
            for k in range(j):
                rest -= matrix[i, k] * matrix[j, k]
            matrix[i, j] = np.sqrt(max(rest, 1e-12)) if i == j else rest / matrix[j, j]


@helper
def _solve(factor, values, count):
    """Replace values by the solution of the factored system."""
    for i in range(count):
        for k in range(i):
            values[i] -= factor[i, k] * values[k]
        values[i] /= factor[i, i]
    for i in range(count - 1, -1, -1):
        for k in range(i + 1, count):
            values[i] -= factor[k, i] * values[k]
        values[i] /= factor[i, i]


@kernel("f4[:,:,::1], f4[:,:,::1], f4[:,:,::1], f4, f4[:,:,:,::1]")
def fit_features(means, squares, crossed, ridge, fits):
    """Fill how each channel follows from the features, by regression over each pixel's surroundings.

    Parameters
    ----------
    means : (k + 3, h, w), local means of features and channels.
    squares : (k (k + 1) / 2, h, w), local means of the products of features, (0, 0), (1, 0), (1, 1), (2, 0) ...
    crossed : (3 k, h, w), local means of channel times feature, the features of the first channel first.
    ridge : added to the features' variances; larger trusts them less.
    fits : (3, k + 1, h, w), filled: of each channel a slope for each feature, and the value where all are 0.
    """
    _, height, width = means.shape
    count = fits.shape[1] - 1
    matrix, slopes = np.empty((count, count)), np.empty(count)
    for y in range(height):
        for x in range(width):
            at = 0
            for i in range(count):
                for j in range(i + 1):
                    matrix[i, j] = squares[at, y, x] - means[i, y, x] * means[j, y, x]
                    at += 1
                matrix[i, i] += ridge
            _factor(matrix, count)
            for c in range(3):
                level = means[count + c, y, x]
                for i in range(count):
                    slopes[i] = crossed[c * count + i, y, x] - means[i, y, x] * level
                _solve(matrix, slopes, count)
                value = np.float64(level)
                for i in range(count):
                    value -= slopes[i] * means[i, y, x]
                    fits[c, i, y, x] = slopes[i]
                fits[c, count, y, x] = value
