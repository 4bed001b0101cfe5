"""Local linear regression of a picture's channels on feature planes, pixel by pixel."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

# Rows of values of neighbouring pixels are worked side by side. The loops ask their rows how many these are: over a
# number known beforehand they would be written out, and work on one pixel at a time.
_LANES = 128  # always as many, so that each is rounded alike; a picture of fewer is worked in one go


@helper
def _subtract(first, second, total):
    """Subtract a product of rows from a row."""
    for lane in range(total.shape[0]):
        total[lane] -= first[lane] * second[lane]


@helper
def _scale(factor, values):
    for lane in range(values.shape[0]):
        values[lane] *= factor[lane]


@helper
def _invert_root(values):
    """Replace a row by one over its square roots."""
    for lane in range(values.shape[0]):
        values[lane] = np.float32(1) / np.sqrt(max(values[lane], np.float32(1e-9)))


@helper
def _copy(row, into):
    for lane in range(into.shape[0]):
        into[lane] = row[lane]


@helper
def _add(value, into):
    for lane in range(into.shape[0]):
        into[lane] += value


@helper
def _factor(matrix, count):
    """Replace symmetric positive matrices (k, k, lanes) by their lower Cholesky factors, inverted on the diagonal."""
    for i in range(count):
        for j in range(i + 1):
            for k in range(j):
                _subtract(matrix[i, k], matrix[j, k], matrix[i, j])
            if i == j:
                _invert_root(matrix[i, i])
            else:
                _scale(matrix[j, j], matrix[i, j])


@helper
def _solve(factor, values, count):
    """Replace values (k, lanes) by the solutions of the factored systems."""
    for i in range(count):
        for k in range(i):
            _subtract(factor[i, k], values[k], values[i])
        _scale(factor[i, i], values[i])
    for i in range(count - 1, -1, -1):
        for k in range(i + 1, count):
            _subtract(factor[k, i], values[k], values[i])
        _scale(factor[i, i], values[i])


@helper
def _load(planes, first, into):
    """Fill (k, lanes) with some pixels of each plane."""
    for i in range(planes.shape[0]):
        _copy(planes[i, first:], into[i])


@helper
def _covary(square, mean, ridge, matrix, count):
    """Fill the covariances of the features from means of products."""
    at = 0
    for i in range(count):
        for j in range(i + 1):
            _copy(square[at], matrix[i, j])
            _subtract(mean[i], mean[j], matrix[i, j])
            at += 1
        _add(ridge, matrix[i, i])


@helper
def _covary_with(channel, cross, mean, values, count):
    """Fill the covariances of a channel with the features."""
    for i in range(count):
        _copy(cross[channel * count + i], values[i])
        _subtract(mean[i], mean[count + channel], values[i])


@helper
def _store(slopes, mean, channel, first, fits):
    """Store the slopes of a channel, and its value where all features are 0."""
    count, lanes = slopes.shape
    value = mean[count + channel]
    for i in range(count):
        _subtract(slopes[i], mean[i], value)
        _copy(slopes[i], fits[channel, i, first : first + lanes])
    _copy(value, fits[channel, count, first : first + lanes])


@kernel("f4[:,::1], f4[:,::1], f4[:,::1], f4, f4[:,:,::1]")
def fit_features(means, squares, crossed, ridge, fits):
    """Fill how each channel follows from the features, by regression over each pixel's surroundings.

    Parameters
    ----------
    means : (k + 3, n), local means of features and channels.
    squares : (k (k + 1) / 2, n), local means of the products of features, (0, 0), (1, 0), (1, 1), (2, 0) ...
    crossed : (3 k, n), local means of channel times feature, the features of the first channel first.
    ridge : added to the features' variances; larger trusts them less.
    fits : (3, k + 1, n), filled: of each channel a slope for each feature, and the value where all are 0.
    """
    pixels, count = means.shape[1], fits.shape[1] - 1
    lanes = min(_LANES, pixels)
    matrix, slopes = np.empty((count, count, lanes), np.float32), np.empty((count, lanes), np.float32)
    mean, square = np.empty((count + 3, lanes), np.float32), np.empty((squares.shape[0], lanes), np.float32)
    cross = np.empty((3 * count, lanes), np.float32)
    for start in range(0, pixels, lanes):
        first = min(start, pixels - lanes)
        _load(means, first, mean)
        _load(squares, first, square)
        _load(crossed, first, cross)
        _covary(square, mean, ridge, matrix, count)
        _factor(matrix, count)
        for channel in range(3):
            _covary_with(channel, cross, mean, slopes, count)
            _solve(matrix, slopes, count)
            _store(slopes, mean, channel, first, fits)
