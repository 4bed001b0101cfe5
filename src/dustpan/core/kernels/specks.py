"""Compiled loops that find and fill specks."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

_RING = 3
_SKIRT = np.float32(0.3)  # least share of a point of light that its four neighbours hold
_MARGIN = np.float32(0.2)  # of the noise, by which the neighbours must lie under that share
_EVIDENCE = np.float32(0.65)  # of the sensitivity: enough in a second channel to judge its shape by
_FALSE_COLOUR = np.float32(0.5)  # of the texture around: interpolated mosaics draw that much false colour
_SECOND = np.float32(0.3)  # most that a speck of one colour shows in its second strongest channel


@helper
def _value(tile, y, x, channel):
    """Red, green, blue, red less green, blue less green."""
    if channel < 3:
        return tile[y, x, channel]
    return tile[y, x, 2 * (channel - 3)] - tile[y, x, 1]


@helper
def _deviation(sigma, y, x, channel):
    """Deviation of a value's noise; the channels of a mosaic are nearly independent."""
    if channel < 3:
        return sigma[channel, y, x]
    other, green = sigma[2 * (channel - 3), y, x], sigma[1, y, x]
    return np.sqrt(other * other + green * green)


@helper
def _ring_median(tile, y, x, channel, values):
    """Median and median absolute deviation over the square ring at 3 px (24 pixels)."""
    n = 0
    for k in range(-_RING, _RING):
        values[n] = _value(tile, y - _RING, x + k, channel)
        values[n + 1] = _value(tile, y + k, x + _RING, channel)
        values[n + 2] = _value(tile, y + _RING, x - k, channel)
        values[n + 3] = _value(tile, y - k, x - _RING, channel)
        n += 4
    _sort_few(values)
    median = np.float32(0.5) * (values[11] + values[12])
    return median, _median_distance(values, median)


@helper
def _sort_few(values):
    """Sort by insertion, which for two dozen values is several times faster than a general sort."""
    for n in range(1, values.size):
        value, k = values[n], n
        while k > 0 and values[k - 1] > value:
            values[k] = values[k - 1]
            k -= 1
        values[k] = value


@helper
def _median_distance(values, median):
    """Return the median distance of 24 sorted values from their median, walking outward from it."""
    low, high = 11, 12
    last = distance = np.float32(0)
    for _ in range(13):
        last = distance
        if high > 23 or (low >= 0 and median - values[low] <= values[high] - median):
            distance = median - values[low]
            low -= 1
        else:
            distance = values[high] - median
            high += 1
    return np.float32(0.5) * (last + distance)


@kernel("f4[:,:,::1], f4[:,:,::1], i8[:,::1], f4[:,::1], f4, b1, b1, b1[:,::1]")
def judge_specks(tile, sigma, points, standing, sensitivity, coloured, spare_stars, marks):
    """Mark those of `points` (N x 2, row and column) that are centres of specks; see `specks.find_by_ring`."""
    values = np.empty(24, np.float32)
    for n in range(points.shape[0]):
        y, x = points[n, 0], points[n, 1]
        sign = standing[y, x]
        if _above_half(tile, sigma, y, x, sign, sensitivity, coloured):
            marks[y, x] = _is_speck(tile, sigma, y, x, sign, sensitivity, coloured, spare_stars, values)


@helper
def _above_half(tile, sigma, y, x, sign, sensitivity, coloured):
    """Whether some channel is clear of half of the ring: without that none is strong, and no median is needed."""
    for c in range(5 if coloured else 3):
        limit = sign * _value(tile, y, x, c) - sensitivity * _deviation(sigma, y, x, c)
        clear = 0
        for k in range(-_RING, _RING):
            clear += sign * _value(tile, y - _RING, x + k, c) < limit
            clear += sign * _value(tile, y + k, x + _RING, c) < limit
            clear += sign * _value(tile, y + _RING, x - k, c) < limit
            clear += sign * _value(tile, y - k, x - _RING, c) < limit
        if clear >= 12:
            return True
    return False


@helper
def _is_speck(tile, sigma, y, x, sign, sensitivity, coloured, spare_stars, values):
    """Whether a pixel that stands out does so as no point of light could."""
    channels = 5 if coloured else 3
    strong, sharp = False, False
    first, second, texture = np.float32(0), np.float32(0), np.float32(0)
    for c in range(channels):
        median, spread = _ring_median(tile, y, x, c, values)
        excess = sign * (_value(tile, y, x, c) - median)
        around = (
            _value(tile, y - 1, x, c)
            + _value(tile, y + 1, x, c)
            + _value(tile, y, x - 1, c)
            + _value(tile, y, x + 1, c)
        )
        skirt = sign * (np.float32(0.25) * around - median)
        unit = max(_deviation(sigma, y, x, c), np.float32(1.4826) * spread)
        if c < 3:
            texture = max(texture, np.float32(1.4826) * spread)
        else:
            unit = max(unit, _FALSE_COLOUR * texture)
        strong = strong or excess > sensitivity * unit
        bare = skirt < _SKIRT * excess - _MARGIN * unit
        sharp = sharp or (excess > _EVIDENCE * sensitivity * unit and bare)
        if c < 3:
            second = max(second, min(first, excess))
            first = max(first, excess)
    single = coloured and second < _SECOND * first
    return strong and (sharp or single or not spare_stars)


@kernel("f4[:,::1], f4[:,::1], f4, f4[:,::1]")
def mark_standing(plane, room, sign, standing):
    """Set `standing` to `sign` where a plane has a local peak that is clear of most of four pixels of the ring.

    Slices of equal length and no branch, so that the compiler works on many pixels at once.

    Parameters
    ----------
    plane : (H, W) float32.
    room : (H, W) float32, by how much a peak must be clear.
    sign : 1 for peaks, -1 for pits.
    standing : (H, W) float32, changed where it is 0.
    """
    height, width = plane.shape
    n = width - 2 * _RING
    for y in range(_RING, height - _RING):
        row, above, below = plane[y], plane[y - 1, _RING:], plane[y + 1, _RING:]
        here, left, right = row[_RING:], row[_RING - 1 :], row[_RING + 1 :]
        west, east, north, south = row, row[2 * _RING :], plane[y - _RING, _RING:], plane[y + _RING, _RING:]
        least, found = room[y, _RING:], standing[y, _RING:]
        for i in range(n):
            value = sign * here[i]
            near = max(max(sign * left[i], sign * right[i]), max(sign * above[i], sign * below[i]))
            a, b, c, d = sign * west[i], sign * east[i], sign * north[i], sign * south[i]
            second = max(min(max(a, b), max(c, d)), max(min(a, b), min(c, d)))
            stands = (value >= near) & (value - second > least[i]) & (found[i] == 0)
            found[i] = sign if stands else found[i]


@kernel("f4[:,:,::1], f4[:,:,::1], i8[:,::1], b1[:,::1]")
def mark_touched(tile, sigma, points, touched):
    """Mark those of `points` (N x 2, row and column) that differ from their surroundings by more than the noise."""
    height, width = touched.shape
    values = np.empty(24, np.float32)
    for n in range(points.shape[0]):
        y, x = points[n, 0], points[n, 1]
        if y < _RING or x < _RING or y >= height - _RING or x >= width - _RING:
            continue
        for c in range(3):
            median, spread = _ring_median(tile, y, x, c, values)
            if abs(tile[y, x, c] - median) > np.float32(2.5) * max(sigma[c, y, x], spread):
                touched[y, x] = True
                break


@kernel("f4[:,::1], u1[:,::1], f4[:,::1], f4, i8, b1, b1[:,::1], f4[:,::1]")
def mark_in_mosaic(mosaic, colours, sigma, sensitivity, polarity, spare_stars, marks, filled):
    """Mark the sites that stand out from the same-colour sites within 3 px, and fill them by the median of these.

    A rim of 3 px is left out.

    Parameters
    ----------
    mosaic, sigma : (H, W) float32, light and deviation of its noise.
    colours : (H, W) uint8.
    sensitivity : in deviations.
    polarity : 1 for bright, 2 for dark, 3 for both.
    spare_stars : leave what has a skirt of light.
    marks, filled : (H, W) bool and float32, changed where a site is hot.
    """
    height, width = mosaic.shape
    near = np.empty(48, np.float32)
    for y in range(3, height - 3):
        for x in range(3, width - 3):
            value, limit = mosaic[y, x], sensitivity * sigma[y, x]
            for sign in (np.float32(1), np.float32(-1)):
                if (sign > 0 and not polarity & 1) or (sign < 0 and not polarity & 2):
                    continue
                count, most = _same_colour(mosaic, colours, y, x, sign, sign * value - limit, near)
                if most:  # a neighbour is as bright: no speck
                    continue
                median, spread = _median_of(near, count)
                excess = sign * (value - median)
                if excess <= sensitivity * max(sigma[y, x], np.float32(1.2) * spread):
                    continue
                if spare_stars and _has_skirt(mosaic, colours, y, x, sign, excess, sigma[y, x]):
                    continue
                marks[y, x] = True
                filled[y, x] = median


@helper
def _same_colour(mosaic, colours, y, x, sign, limit, near):
    """Gather the sites of the same colour within 3 px; stop when two of them reach `limit` too."""
    count = reached = 0
    for dy in range(-3, 4):
        for dx in range(-3, 4):
            if (dy or dx) and colours[y + dy, x + dx] == colours[y, x]:
                near[count] = mosaic[y + dy, x + dx]
                reached += sign * near[count] > limit
                count += 1
                if reached > 1:
                    return count, True
    return count, False


@helper
def _median_of(near, count):
    """Return the median of the first values, and half the spread of their middle half."""
    values = np.sort(near[:count])
    return values[count // 2], (values[3 * count // 4] - values[count // 4]) / np.float32(2)


@helper
def _has_skirt(mosaic, colours, y, x, sign, excess, sigma):
    """Return whether light has spread into the neighbours of the other colours, as through a lens."""
    lit = 0
    for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1)):
        own, total, count = mosaic[y + dy, x + dx], np.float32(0), 0
        for ey in range(-3, 4):
            for ex in range(-3, 4):
                far = abs(ey) + abs(ex) >= 3
                if far and colours[y + ey, x + ex] == colours[y + dy, x + dx]:
                    total += mosaic[y + ey, x + ex]
                    count += 1
        if count and sign * (own - total / count) > max(np.float32(0.25) * excess, np.float32(2.5) * sigma):
            lit += 1
    return lit >= 3


@kernel("f4[:,:,::1], b1[:,::1], i8[:,::1], i8, f4[:,:,::1]")
def fill_touched(tile, touched, points, reach, mended):
    """Fill `points` from sound pixels on both sides, along the direction of least change."""
    for n in range(points.shape[0]):
        y, x = points[n, 0], points[n, 1]
        best = np.float32(1e9)
        for direction in range(4):
            dy, dx = ((0, 1), (1, 0), (1, 1), (1, -1))[direction]
            ay, ax = _sound(touched, y, x, dy, dx, reach)
            by, bx = _sound(touched, y, x, -dy, -dx, reach)
            if ay < 0 or by < 0:
                continue
            change = np.float32(0)
            for c in range(3):
                change += abs(tile[ay, ax, c] - tile[by, bx, c])
            if change < best:
                best = change
                for c in range(3):
                    mended[y, x, c] = np.float32(0.5) * (tile[ay, ax, c] + tile[by, bx, c])


@helper
def _sound(touched, y, x, dy, dx, reach):
    """Return the first sound pixel in a direction, or -1, -1."""
    height, width = touched.shape
    for step in range(1, reach + 1):
        v, u = y + step * dy, x + step * dx
        if v < 0 or u < 0 or v >= height or u >= width:
            break
        if not touched[v, u]:
            return v, u
    return -1, -1
