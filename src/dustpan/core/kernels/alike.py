"""Mean colours over the pixels around each one that show the same surface."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel


@helper
def _add_square(here, there, apart):
    """Add the squared difference of two rows."""
    for x in range(apart.shape[0]):
        difference = here[x] - there[x]
        apart[x] += difference * difference


@helper
def _add_squares(here, there, more_here, more_there, apart):
    """Add the squared differences of two pairs of rows."""
    for x in range(apart.shape[0]):
        difference, more = here[x] - there[x], more_here[x] - more_there[x]
        apart[x] += difference * difference + more * more


@helper
def _weigh(apart, near, least):
    """Replace squared distances by weights: `near` at 0, none from 1 / `least` on."""
    for x in range(apart.shape[0]):
        part = max(np.float32(1) - apart[x] * least, np.float32(0))
        apart[x] = near * (part * part)


@helper
def _add(weight, total):
    for x in range(total.shape[0]):
        total[x] += weight[x]


@helper
def _add_weighed(weight, row, total):
    for x in range(total.shape[0]):
        total[x] += weight[x] * row[x]


@kernel("f4[:,:,::1], f4[:,:,::1], f4[:,::1], f4, f4[:,:,::1]")
def average_alike(channels, features, weights, least, found):
    """Fill the weighted mean of the pixels around each one; rows are short loops, which work on many pixels at once.

    Parameters
    ----------
    channels, features : (3 or k, h + 2 r, w + 2 r), with a rim as wide as the weights reach.
    weights : (2 r + 1, 2 r + 1) by distance; 0 is left out, the middle is not.
    least : 1 over the squared difference of features from which pixels show another surface.
    found : (3, h, w), filled.
    """
    side, (_, height, width) = weights.shape[0], found.shape
    reach, count = side // 2, features.shape[0]
    weight, total = np.empty(width, np.float32), np.empty(width, np.float32)
    for y in range(height):
        total[:] = 0
        found[:, y] = 0
        for down in range(side):
            for across in range(side):
                if weights[down, across] == 0:
                    continue
                weight[:] = 0
                for k in range(0, count - 1, 2):
                    here, there = features[k, y + reach, reach:], features[k, y + down, across:]
                    more_here, more_there = features[k + 1, y + reach, reach:], features[k + 1, y + down, across:]
                    _add_squares(here, there, more_here, more_there, weight)
                if count % 2:
                    _add_square(features[count - 1, y + reach, reach:], features[count - 1, y + down, across:], weight)
                _weigh(weight, weights[down, across], least)
                _add(weight, total)
                for c in range(3):
                    _add_weighed(weight, channels[c, y + down, across:], found[c, y])
        for c in range(3):
            for x in range(width):
                found[c, y, x] /= total[x]
