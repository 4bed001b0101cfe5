"""Compiled loops that restore the mean of noise in light."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

#: The elements of the orthonormal opponent transform, see `filters.colour.OPPONENT`.
_A, _B, _C = np.float32(3**-0.5), np.float32(2**-0.5), np.float32(6**-0.5)


@helper
def _taken_power(noisy, cleaned, y, x, gains, most, into):
    """Add to (3,) `into` the squares of the noise that was taken out of each channel of a pixel, `most` at most."""
    r = noisy[y, x, 0] - cleaned[y, x, 0]
    g = noisy[y, x, 1] - cleaned[y, x, 1]
    b = noisy[y, x, 2] - cleaned[y, x, 2]
    grey = (r + g + b) * _A * _A * gains[0]
    first = (r - b) * _B * _B * gains[1]
    half = (r + b - g - g) * _C * _C * gains[2]
    r, g, b = grey + first + half, grey - half - half, grey - first + half
    into[0] += min(r * r, most)
    into[1] += min(g * g, most)
    into[2] += min(b * b, most)


@kernel("f4[:,:,::1], f4[:,:,::1], f4[::1], f4[:,::1], f4, f4[:,:,::1], f4[:,:,::1]")
def means_of_cells(noisy, cleaned, gains, variance, times, powers, means):
    """Fill cells of 2 x 2 pixels with the mean power of the noise that was taken away, and the mean of `cleaned`.

    Parameters
    ----------
    gains : (3,), how much larger the whole noise of each opponent plane is than the part that was taken.
    variance, times : H x W, and what a channel's power may be of it: what stands out farther is no noise.
    powers, means : the cells, rounded up; the last ones may hold fewer pixels.
    """
    height, width = variance.shape
    for down in range(powers.shape[0]):
        for across in range(powers.shape[1]):
            power, mean = powers[down, across], means[down, across]
            power[:] = np.float32(0)
            mean[:] = np.float32(0)
            count = np.float32(0)
            for y in range(2 * down, min(2 * down + 2, height)):
                for x in range(2 * across, min(2 * across + 2, width)):
                    _taken_power(noisy, cleaned, y, x, gains, times * variance[y, x], power)
                    mean[0] += cleaned[y, x, 0]
                    mean[1] += cleaned[y, x, 1]
                    mean[2] += cleaned[y, x, 2]
                    count += np.float32(1)
            part = np.float32(1) / count
            for n in range(3):
                power[n] *= part
                mean[n] *= part


@helper
def _looked_up(table, mean, power, scales):
    """Return the table's value for a mean and a deviation, bilinearly."""
    down = min(max(mean * scales[0], np.float32(0)), np.float32(table.shape[0]) - np.float32(1.001))
    across = min(np.sqrt(power) * scales[1], np.float32(table.shape[1]) - np.float32(1.001))
    row, column = int(down), int(across)
    down, across = down - np.float32(row), across - np.float32(column)
    upper = table[row, column] + across * (table[row, column + 1] - table[row, column])
    lower = table[row + 1, column] + across * (table[row + 1, column + 1] - table[row + 1, column])
    return upper + down * (lower - upper)


@kernel("f4[:,:,::1], f4[:,:,::1], f4[:,::1], f4[::1], f4[::1]")
def look_up_shifts(means, powers, table, scales, strengths):
    """Put in place of each channel's mean (H x W x 3) what a table says for it and for the power of the noise.

    Parameters
    ----------
    table, scales : shifts over mean and deviation, and its rows and columns for each unit of both.
    strengths : (3,), the parts of the shift of each opponent plane that are wanted.
    """
    height, width = means.shape[:2]
    for y in range(height):
        for x in range(width):
            r = _looked_up(table, means[y, x, 0], powers[y, x, 0], scales)
            g = _looked_up(table, means[y, x, 1], powers[y, x, 1], scales)
            b = _looked_up(table, means[y, x, 2], powers[y, x, 2], scales)
            grey = (r + g + b) * _A * _A * strengths[0]
            first = (r - b) * _B * _B * strengths[1]
            half = (r + b - g - g) * _C * _C * strengths[2]
            means[y, x, 0] = grey + first + half
            means[y, x, 1] = grey - half - half
            means[y, x, 2] = grey - first + half
