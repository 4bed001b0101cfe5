"""Mean colours over the pixels around each one that show the same surface."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel


@helper
def _add_squares(features, k, here, there, apart):
    """Add the squared differences of two rows, of four features; more at a time, and it is no vector loop any more."""
    (y, x), (v, u) = here, there
    first, other_first = features[k, y, x:], features[k, v, u:]
    second, other_second = features[k + 1, y, x:], features[k + 1, v, u:]
    third, other_third = features[k + 2, y, x:], features[k + 2, v, u:]
    fourth, other_fourth = features[k + 3, y, x:], features[k + 3, v, u:]
    for i in range(apart.shape[0]):
        a, b = first[i] - other_first[i], second[i] - other_second[i]
        c, d = third[i] - other_third[i], fourth[i] - other_fourth[i]
        apart[i] += (a * a + b * b) + (c * c + d * d)


@helper
def _weigh(apart, near, least):
    """Replace squared distances by weights: `near` at 0, none from 1 / `least` on."""
    for i in range(apart.shape[0]):
        part = max(np.float32(1) - apart[i] * least, np.float32(0))
        apart[i] = near * (part * part)


@helper
def _add(weight, total):
    for i in range(weight.shape[0]):
        total[i] += weight[i]


@helper
def _add_weighed(weight, row, total):
    for i in range(weight.shape[0]):
        total[i] += weight[i] * row[i]


@kernel("f4[:,:,::1], f4[:,:,::1], i8[:,::1], f4[::1], f4, f4[:,:,::1]")
def average_alike(channels, features, apart, near, least, sums):
    """Add up the weights of the pixels around each one, and their colours by these weights.

    Parameters
    ----------
    channels : (3, h, w).
    features : (k, h, w), k a multiple of 4.
    apart : (n, 2), across and down, from a pixel to those it is compared with; each pair of pixels once: none of
        negative `down`, and of `down` 0 only those of positive `across`.
    near : (n,) weights of these by their distance.
    least : 1 over the squared difference of features from which pixels show another surface.
    sums : (4, h, w), the weights' and the three channels', to which is added; whole farther from the ends than `apart`.
    """
    _, height, width = channels.shape
    buffer = np.empty(width, np.float32)
    for y in range(height):
        for n in range(apart.shape[0]):
            across, v = apart[n, 0], y + apart[n, 1]
            if v >= height or abs(across) >= width:
                continue
            x, u = max(-across, 0), max(across, 0)
            weight = buffer[: width - abs(across)]
            weight[:] = 0
            for k in range(0, features.shape[0], 4):
                _add_squares(features, k, (y, x), (v, u), weight)
            _weigh(weight, near[n], least)
            _add(weight, sums[0, y, x:])
            _add(weight, sums[0, v, u:])
            for c in range(3):
                _add_weighed(weight, channels[c, v, u:], sums[c + 1, y, x:])
                _add_weighed(weight, channels[c, y, x:], sums[c + 1, v, u:])
