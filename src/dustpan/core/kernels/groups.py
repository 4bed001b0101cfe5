"""Compiled inner loops of collaborative filtering: alike windows are found, transformed together and shrunk.

Loops run along the windows of a group or along neighbouring candidates, never along a sum, so the compiler can
vectorise them without changing the order of any sum. Arrays come from `filters/thorough.py`.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel
from dustpan.core.kernels.eight import forward, inverse

REACH = 9  # px, how far from a window others are looked for
GROUP = 16  # most windows of a group
STEP = 4  # px between the windows that groups are gathered for
FAR = 11  # px, how far apart windows are whose noise counts as correlated
_SIDE = 2 * REACH + 1


@helper
def _compare(guide, y, x, row, west, across, distance):
    """Fill `distance` with the squared distances of the window at y, x from `across` windows of a row."""
    for n in range(across):
        distance[n] = np.float32(0)
    for i in range(8):
        line = guide[row + i]
        for j in range(8):
            value = guide[y + i, x + j]
            part = line[west + j : west + j + across]
            for n in range(across):
                difference = part[n] - value
                distance[n] += difference * difference


@helper
def _insert(far, row, column, count, found, ys, xs):
    """Put a window among those found so far, nearest first; return how many there are."""
    if count == GROUP and far >= found[GROUP - 1]:
        return count
    at = count if count < GROUP else GROUP - 1
    while at > 0 and found[at - 1] > far:
        found[at], ys[at], xs[at] = found[at - 1], ys[at - 1], xs[at - 1]
        at -= 1
    found[at], ys[at], xs[at] = far, row, column
    return min(count + 1, GROUP)


@helper
def _find_alike(guide, y, x, limit, distance, found, ys, xs):
    """Fill `ys`, `xs` with the windows most like the one at y, x, nearest first; return how many, a power of 2."""
    height, width = guide.shape
    west, east = max(x - REACH, 0), min(x + REACH, width - 8)
    across, count = east - west + 1, 0
    for row in range(max(y - REACH, 0), min(y + REACH, height - 8) + 1):
        _compare(guide, y, x, row, west, across, distance)
        for n in range(across):
            if distance[n] <= limit:
                count = _insert(distance[n], row, west + n, count, found, ys, xs)
    size = 1
    while 2 * size <= count:
        size *= 2
    return size


@helper
def _gather(plane, ys, xs, size, group):
    """Fill (64, GROUP) with the pixels of the windows."""
    for n in range(size):
        y, x = ys[n], xs[n]
        for i in range(8):
            for j in range(8):
                group[8 * i + j, n] = plane[y + i, x + j]


def _in_place(eight):
    """Return a helper that takes eight rows of a group, `apart` from one another from `a` on, through `eight`."""

    @helper
    def run(group, a, apart):
        for n in range(GROUP):
            c0, c1, c2, c3, c4, c5, c6, c7 = eight(
                group[a, n],
                group[a + apart, n],
                group[a + 2 * apart, n],
                group[a + 3 * apart, n],
                group[a + 4 * apart, n],
                group[a + 5 * apart, n],
                group[a + 6 * apart, n],
                group[a + 7 * apart, n],
            )
            group[a, n], group[a + apart, n], group[a + 2 * apart, n], group[a + 3 * apart, n] = c0, c1, c2, c3
            a4 = a + 4 * apart
            group[a4, n], group[a4 + apart, n], group[a4 + 2 * apart, n], group[a4 + 3 * apart, n] = c4, c5, c6, c7

    return run


_eight, _eight_back = _in_place(forward), _in_place(inverse)


@helper
def _transform(group):
    """Transform each window down and across, in place."""
    for j in range(8):
        _eight(group, j, 8)
    for i in range(8):
        _eight(group, 8 * i, 1)


@helper
def _transform_back(group):
    """Undo `_transform`."""
    for j in range(8):
        _eight_back(group, j, 8)
    for i in range(8):
        _eight_back(group, 8 * i, 1)


@helper
def _pair(group, a, b):
    """Replace two columns by their scaled sum and difference."""
    half = np.float32(0.5**0.5)
    for k in range(64):
        first, second = group[k, a], group[k, b]
        group[k, a], group[k, b] = half * (first + second), half * (first - second)


@helper
def _mix(group, size):
    """Transform along the windows by the orthonormal Haar transform, in place; its own inverse when run backwards."""
    apart = 1
    while apart < size:
        for n in range(0, size, 2 * apart):
            _pair(group, n, n + apart)
        apart *= 2


@helper
def _unmix(group, size):
    """Undo `_mix`."""
    apart = size // 2
    while apart >= 1:
        for n in range(0, size, 2 * apart):
            _pair(group, n, n + apart)
        apart //= 2


@helper
def _correlate(ys, xs, size, table, shared):
    """Fill `shared` with the mean correlation of the noise of two windows of a group, for each coefficient."""
    for k in range(64):
        shared[k] = np.float32(0)
    for a in range(size):
        for b in range(a):
            down, across = abs(ys[a] - ys[b]), xs[a] - xs[b]
            across = across if ys[a] >= ys[b] else -across
            if down <= FAR and -FAR <= across <= FAR:
                row = table[down, across + FAR]
                for k in range(64):
                    shared[k] += row[k]
    part = np.float32(2.0 / max(size * (size - 1), 1))
    for k in range(64):
        shared[k] *= part


@helper
def _shrink(noisy, pilot, power, shared, variance, least, size):
    """Scale each coefficient by the pilot's share of signal, never under `least`; return the weight of the group.

    Noise that the windows share stays in their mean, and is missing in their differences.
    """
    total = np.float32(0)
    for k in range(64):
        noise = power[k] * variance
        together = noise * (np.float32(1) + np.float32(size - 1) * shared[k])
        apart = noise * (np.float32(1) - shared[k])
        for n in range(size):
            there = apart if n else together
            energy = pilot[k, n] * pilot[k, n]
            gain = energy / (energy + there + np.float32(1e-12))
            gain = gain if gain > least else least
            noisy[k, n] *= gain
            total += gain * gain * there
    return np.float32(1) / (total + np.float32(1e-9))


@helper
def _add(group, ys, xs, size, weight, fading, sums, weights):
    """Add the windows to the sums, weighted, less towards their borders."""
    for n in range(size):
        y, x = ys[n], xs[n]
        for i in range(8):
            for j in range(8):
                share = weight * fading[8 * i + j]
                sums[y + i, x + j] += share * group[8 * i + j, n]
                weights[y + i, x + j] += share


@kernel(
    "f4[:,:,::1], f4[:,:,::1], f4[:,:,::1], f4[:,::1], f4[:,:,:,::1], f4[::1], f4, f4[::1],"
    " i8, i8, i8, i8, f4[:,:,::1], f4[:,:,::1]"
)
def filter_groups(noisy, pilot, sigma, spectrum, table, least, limit, fading, top, bottom, left, right, sums, weights):
    """Add the filtered groups of the windows at every `STEP` pixels from (top, left) to before (bottom, right).

    Parameters
    ----------
    noisy, pilot : (3, H, W) opponent planes; windows are compared in the first of the pilot.
    sigma : (3, H / 2, W / 2), deviation of the noise for the window whose corner is each even pixel; 0 leaves a plane.
    spectrum : (3, 64), relative deviations of the coefficients.
    table : (3, FAR + 1, 2 FAR + 1, 64), correlation of a coefficient's noise in two windows, by how far the second lies
        below the first and to its right (from FAR to its left on).
    least : (3,), part of every coefficient that is kept.
    limit : squared distance of two windows from which they are not alike.
    fading : (64,), weight of the pixels of a window.
    sums, weights : (3, H, W), are added to.
    """
    distance = np.empty(_SIDE, np.float32)
    found, ys, xs = np.empty(GROUP, np.float32), np.empty(GROUP, np.int64), np.empty(GROUP, np.int64)
    group, guide = np.zeros((64, GROUP), np.float32), np.zeros((64, GROUP), np.float32)
    power, shared = spectrum * spectrum, np.empty(64, np.float32)
    for y in range(top, bottom, STEP):
        for x in range(left, right, STEP):
            size = _find_alike(pilot[0], y, x, limit, distance, found, ys, xs)
            for plane in range(3):
                deviation = sigma[plane, y // 2, x // 2]
                if deviation <= 0:
                    continue
                _gather(noisy[plane], ys, xs, size, group)
                _gather(pilot[plane], ys, xs, size, guide)
                _transform(group)
                _transform(guide)
                _mix(group, size)
                _mix(guide, size)
                _correlate(ys, xs, size, table[plane], shared)
                weight = _shrink(group, guide, power[plane], shared, deviation * deviation, least[plane], size)
                _unmix(group, size)
                _transform_back(group)
                _add(group, ys, xs, size, weight, fading, sums[plane], weights[plane])
