"""Compiled loops that restore the mean of noise in light."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

#: The elements of the orthonormal opponent transform, see `filters.colour.OPPONENT`.
_A, _B, _C = np.float32(3**-0.5), np.float32(2**-0.5), np.float32(6**-0.5)


@kernel("f4[:,:,::1], f4[:,:,::1], f4[::1], f4[:,::1], f4[:,:,::1]")
def noise_power(noisy, cleaned, gains, most, out):
    """Fill H x W x 3 with the squares of the noise that was taken out of each channel.

    Parameters
    ----------
    gains : (3,), how much larger the whole noise of each opponent plane is than the part that was taken.
    most : H x W, held to in each channel: what stands out farther is no noise.
    """
    height, width = most.shape
    for y in range(height):
        for x in range(width):
            r = noisy[y, x, 0] - cleaned[y, x, 0]
            g = noisy[y, x, 1] - cleaned[y, x, 1]
            b = noisy[y, x, 2] - cleaned[y, x, 2]
            grey = (r + g + b) * _A * _A * gains[0]
            first = (r - b) * _B * _B * gains[1]
            half = (r + b - g - g) * _C * _C * gains[2]
            r, g, b = grey + first + half, grey - half - half, grey - first + half
            out[y, x, 0] = min(r * r, most[y, x])
            out[y, x, 1] = min(g * g, most[y, x])
            out[y, x, 2] = min(b * b, most[y, x])


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


@kernel("f4[:,:,::1], f4[:,:,::1], f4[:,:,::1], f4[:,::1], f4[::1], f4[::1]")
def add_shifts(cleaned, means, powers, table, scales, strengths):
    """Add to H x W x 3 `cleaned` what a table says for each channel's mean and noise.

    Parameters
    ----------
    table, scales : shifts over mean and deviation, and its rows and columns for each unit of both.
    strengths : (3,), the parts of the shift of each opponent plane that are added.
    """
    height, width = cleaned.shape[:2]
    for y in range(height):
        for x in range(width):
            r = _looked_up(table, means[y, x, 0], powers[y, x, 0], scales)
            g = _looked_up(table, means[y, x, 1], powers[y, x, 1], scales)
            b = _looked_up(table, means[y, x, 2], powers[y, x, 2], scales)
            grey = (r + g + b) * _A * _A * strengths[0]
            first = (r - b) * _B * _B * strengths[1]
            half = (r + b - g - g) * _C * _C * strengths[2]
            cleaned[y, x, 0] += grey + first + half
            cleaned[y, x, 1] += grey - half - half
            cleaned[y, x, 2] += grey - first + half
