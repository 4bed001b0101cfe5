"""Compiled loops that find fireflies: pixels far brighter than most of what lies around them."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel


@helper
def _alike(features, y, x, v, u):
    """Whether two pixels show the same surface, by their features."""
    k, count = 0, features.shape[2]
    while k < count and abs(features[y, x, k] - features[v, u, k]) <= np.float32(1):
        k += 1
    return k == count


@helper
def _hiding(value, reach):
    """Return how bright a pixel has to be to hide one of a value: nearly as bright, or so that it does not stand out.

    A little less than the rule for marks asks for, whatever the rounding.
    """
    limit = (value - np.float32(0.0019) * reach) / (np.float32(1) + np.float32(0.039) * reach)
    return max(min(value / np.float32(1.3), limit), np.float32(0))


@helper
def _reaches(value, least):
    return np.float32(1) if value >= least else np.float32(0)


@helper
def _count_row(light, y, around, rim, least, counts):
    """Count for each pixel of a row those around that are as bright as `least` of it.

    Four offsets at a time, which a disc has a multiple of; slices and no branch, so that the compiler works on many
    pixels at once.
    """
    n = counts.shape[0] - 2 * rim
    own, limit = counts[rim:], least[rim:]
    own[:] = 0
    for k in range(0, around.shape[0], 4):
        first = light[y + around[k, 0], rim + around[k, 1] :]
        second = light[y + around[k + 1, 0], rim + around[k + 1, 1] :]
        third = light[y + around[k + 2, 0], rim + around[k + 2, 1] :]
        fourth = light[y + around[k + 3, 0], rim + around[k + 3, 1] :]
        for i in range(n):
            two = _reaches(first[i], limit[i]) + _reaches(second[i], limit[i])
            own[i] += two + (_reaches(third[i], limit[i]) + _reaches(fourth[i], limit[i]))


@helper
def _has_alike(light, features, y, x, around, least, most):
    """Whether more than `most` of the pixels around one are alike and as bright as `least`."""
    count = 0
    for k in range(around.shape[0]):
        v, u = y + around[k, 0], x + around[k, 1]
        if light[v, u] >= least and _alike(features, y, x, v, u):
            count += 1
            if count > most:
                return True
    return False


@helper
def _gather(light, features, y, x, around, values, where):
    """Take down the light of the alike pixels around in ascending order, and which they are; return their count."""
    found = 0
    for k in range(around.shape[0]):
        v, u = y + around[k, 0], x + around[k, 1]
        if light[v, u] >= 0 and _alike(features, y, x, v, u):
            value, n = light[v, u], found
            while n > 0 and values[n - 1] > value:  # sorted by insertion: a few dozen
                values[n], where[n] = values[n - 1], where[n - 1]
                n -= 1
            values[n], where[n] = value, k
            found += 1
    return found


@kernel("f4[:,::1], f4[:,:,::1], f4[:,:,::1], i8[:,::1], i8, f4, f4, b1[:,::1], f4[:,:,::1]")
def mark_fireflies(light, working, features, around, rim, share, reach, marks, base):
    """Mark the pixels that stand far over a rank of their surroundings, and estimate what they should be.

    Parameters
    ----------
    light : (h, w) float32, brightest channel in linear light; with a rim below 0 where there is no picture.
    working : (h - 2 rim, w - 2 rim, 3) float32, the picture without the rim.
    features : (h, w, k) float32, scaled so that a difference of 1 is another surface; k may be 0.
    around : (n, 2) offsets (row, column) of the pixels compared with, a multiple of 4.
    rim : px at each side that are not looked at, at least the largest offset.
    share : rank, 0 to 1, of the surroundings that a pixel is compared with.
    reach : how many times the spread of the surroundings a pixel may stand over that rank.
    marks : (h - 2 rim, w - 2 rim) bool, written.
    base : (h - 2 rim, w - 2 rim, 3) float32, written where marked: linear light of the surroundings, as bright as is
        allowed.
    """
    height, width = light.shape
    count = around.shape[0]
    values, where = np.empty(count, np.float32), np.empty(count, np.int64)
    most = (1 - share) * count
    least, counts = np.zeros(width, np.float32), np.zeros(width, np.float32)
    for y in range(rim, height - rim):
        for x in range(width):
            least[x] = _hiding(light[y, x], reach)
        _count_row(light, y, around, rim, least, counts)
        for x in range(rim, width - rim):
            if counts[x] > most and (
                features.shape[2] == 0 or _has_alike(light, features, y, x, around, least[x], most)
            ):
                continue
            found = _gather(light, features, y, x, around, values, where)
            if found < count // 4:
                continue
            upper = values[min(int(share * found), found - 1)]
            spread = upper - values[found // 4]
            limit = upper + reach * (spread + np.float32(0.04) * upper + np.float32(0.002))
            if light[y, x] > limit:
                marks[y - rim, x - rim] = True
                _mean_colour(working, around, where, values, found, upper, y - rim, x - rim, limit, base)


@helper
def _decoded(value):
    """See `picture.curve.decode_curve`."""
    size = abs(value)
    if size <= np.float32(0.04045):
        return value / np.float32(12.92)
    return np.copysign(((size + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4), value)


@helper
def _mean_colour(working, around, where, values, found, upper, y, x, limit, base):
    """Write the mean colour of the surroundings up to a rank, at most as bright as `limit`."""
    red, green, blue, count = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
    for n in range(found):
        if values[n] <= upper:
            v, u = y + around[where[n], 0], x + around[where[n], 1]
            red += _decoded(working[v, u, 0])
            green += _decoded(working[v, u, 1])
            blue += _decoded(working[v, u, 2])
            count += np.float32(1)
    brightest = max(max(red, green), blue) / count
    scale = np.float32(1) / count
    if brightest > limit:
        scale *= limit / brightest
    base[y, x, 0], base[y, x, 1], base[y, x, 2] = red * scale, green * scale, blue * scale
