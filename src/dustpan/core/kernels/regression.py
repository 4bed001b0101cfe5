"""Local linear regression of a picture's channels on feature planes, pixel by pixel."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

_LANES = 16  # pixels of a row that are worked side by side, always as many, so that each is rounded alike


@helper
def _factor(matrix, count):
    """Replace symmetric positive matrices (k, k, lanes) by their lower Cholesky factors, inverted on the diagonal."""
    for i in range(count):
        for j in range(i + 1):
            for k in range(j):
                for lane in range(_LANES):
                    matrix[i, j, lane] -= matrix[i, k, lane] * matrix[j, k, lane]
            if i == j:
                for lane in range(_LANES):
                    matrix[i, i, lane] = 1.0 / np.sqrt(max(matrix[i, i, lane], 1e-12))
            else:
                for lane in range(_LANES):
                    matrix[i, j, lane] *= matrix[j, j, lane]


@helper
def _solve(factor, values, count):
    """Replace values (k, lanes) by the solutions of the factored systems."""
    for i in range(count):
        for k in range(i):
            for lane in range(_LANES):
                values[i, lane] -= factor[i, k, lane] * values[k, lane]
        for lane in range(_LANES):
            values[i, lane] *= factor[i, i, lane]
    for i in range(count - 1, -1, -1):
        for k in range(i + 1, count):
            for lane in range(_LANES):
                values[i, lane] -= factor[k, i, lane] * values[k, lane]
        for lane in range(_LANES):
            values[i, lane] *= factor[i, i, lane]


@helper
def _load(planes, y, columns, into):
    """Fill (k, lanes) with some columns of a row of each plane."""
    for i in range(planes.shape[0]):
        for lane in range(_LANES):
            into[i, lane] = planes[i, y, columns[lane]]


@helper
def _covary(square, mean, ridge, matrix, count):
    """Fill the covariances of the features from means of products."""
    at = 0
    for i in range(count):
        for j in range(i + 1):
            for lane in range(_LANES):
                matrix[i, j, lane] = square[at, lane] - mean[i, lane] * mean[j, lane]
            at += 1
        for lane in range(_LANES):
            matrix[i, i, lane] += ridge


@helper
def _covary_with(channel, cross, mean, values, count):
    """Fill the covariances of a channel with the features."""
    for i in range(count):
        for lane in range(_LANES):
            values[i, lane] = cross[channel * count + i, lane] - mean[i, lane] * mean[count + channel, lane]


@helper
def _store(slopes, mean, channel, y, columns, fits):
    """Fill the slopes of a channel, and its value where all features are 0."""
    count = slopes.shape[0]
    for lane in range(_LANES):
        value = mean[count + channel, lane]
        for i in range(count):
            value -= slopes[i, lane] * mean[i, lane]
            fits[channel, i, y, columns[lane]] = slopes[i, lane]
        fits[channel, count, y, columns[lane]] = value


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
    matrix, slopes = np.empty((count, count, _LANES)), np.empty((count, _LANES))
    mean, square = np.empty((count + 3, _LANES)), np.empty((squares.shape[0], _LANES))
    cross, columns = np.empty((3 * count, _LANES)), np.empty(_LANES, np.int64)
    for y in range(height):
        for first in range(0, width, _LANES):
            for lane in range(_LANES):
                columns[lane] = min(first + lane, width - 1)
            _load(means, y, columns, mean)
            _load(squares, y, columns, square)
            _load(crossed, y, columns, cross)
            _covary(square, mean, ridge, matrix, count)
            _factor(matrix, count)
            for channel in range(3):
                _covary_with(channel, cross, mean, slopes, count)
                _solve(matrix, slopes, count)
                _store(slopes, mean, channel, y, columns, fits)
