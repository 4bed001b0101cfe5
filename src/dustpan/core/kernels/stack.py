"""One value for each pixel from those of many frames. NaN stands for a frame that does not reach there."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

#: Of Shell's sort; they hold for some thousand frames (Ciura, M. (2001), doi 10.1007/3-540-44669-9_12).
_GAPS = (701, 301, 132, 57, 23, 10, 4, 1)


@helper
def _gather(stack, weights, pixel, values, shares):
    """Copy the valid values of a pixel in ascending order, their weights along; return how many there are."""
    count = 0
    for frame in range(stack.shape[0]):
        value = stack[frame, pixel]
        if value == value:
            values[count], shares[count] = value, weights[frame]
            count += 1
    for gap in _GAPS:
        for n in range(gap, count):
            value, share, at = values[n], shares[n], n
            while at >= gap and values[at - gap] > value:
                values[at], shares[at] = values[at - gap], shares[at - gap]
                at -= gap
            values[at], shares[at] = value, share
    return count


@helper
def _middle(values, first, last):
    """Return the median of values[first:last], ascending."""
    count = last - first
    half = first + count // 2
    return values[half] if count % 2 else 0.5 * (values[half - 1] + values[half])


@helper
def _mean(values, shares, first, last):
    total, weight = 0.0, 0.0
    for n in range(first, last):
        total += values[n] * shares[n]
        weight += shares[n]
    return total / weight if weight > 0 else values[first]


@kernel("f4[:,::1], f4[::1], f4[::1], f4[::1]")
def middle_and_spread(stack, weights, middle, spread):
    """Fill the median of each pixel and its spread: 1.4826 times the median distance from it; NaN without values.

    Parameters
    ----------
    stack : (frames, pixels).
    weights : (frames,), not used by a median.
    middle, spread : (pixels,), filled.
    """
    values, shares = np.empty(stack.shape[0], np.float64), np.empty(stack.shape[0], np.float64)
    for pixel in range(stack.shape[1]):
        count = _gather(stack, weights, pixel, values, shares)
        if count == 0:
            middle[pixel] = spread[pixel] = np.nan
            continue
        centre = _middle(values, 0, count)
        middle[pixel] = centre
        low, high, taken, far = count // 2 - 1, count // 2, 0, 0.0
        while taken <= count // 2:  # distances in ascending order, from the middle outwards
            down = centre - values[low] if low >= 0 else np.inf
            up = values[high] - centre if high < count else np.inf
            if down < up:
                far, low = down, low - 1
            else:
                far, high = up, high + 1
            taken += 1
        spread[pixel] = 1.4826 * far


@kernel("f4[:,::1], f4[::1], f4[::1], f4[::1], f4, i8, f4[::1], i4[::1], i4[::1]")
def clipped_mean(stack, weights, middle, spread, kappa, turns, mean, rejected, by_frame):
    """Fill the weighted mean of the values within `kappa` spreads of the middle, which then is that mean, in turns.

    Parameters
    ----------
    stack : (frames, pixels).
    weights : (frames,).
    middle, spread : (pixels,), where it begins; the spread stays.
    kappa, turns : how far a value may lie, and how often the middle is taken anew.
    mean, rejected : (pixels,), filled; how many values were left out.
    by_frame : (frames,), to which the number of values left out of each frame is added.
    """
    values, shares = np.empty(stack.shape[0], np.float64), np.empty(stack.shape[0], np.float64)
    for pixel in range(stack.shape[1]):
        count = _gather(stack, weights, pixel, values, shares)
        if count == 0:
            mean[pixel], rejected[pixel] = np.nan, 0
            continue
        centre, reach = np.float64(middle[pixel]), np.float64(kappa) * spread[pixel]
        first, last = 0, count
        for _ in range(turns):
            low, high = 0, count
            while low < count - 1 and values[low] < centre - reach:
                low += 1
            while high > low + 1 and values[high - 1] > centre + reach:
                high -= 1
            same = low == first and high == last
            first, last = low, high
            centre = _mean(values, shares, first, last)
            if same:
                break
        mean[pixel], rejected[pixel] = centre, count - (last - first)
        if last - first < count:
            for frame in range(stack.shape[0]):
                value = stack[frame, pixel]
                if value < values[first] or value > values[last - 1]:
                    by_frame[frame] += 1


@kernel("f4[:,::1], f4[::1], f4, f4, f4[::1], i4[::1]")
def ranked_mean(stack, weights, low, high, mean, rejected):
    """Fill the weighted mean of the values whose rank lies between two parts of the whole.

    Parameters
    ----------
    stack : (frames, pixels).
    weights : (frames,).
    low, high : 0 to 1; 0 and 1 take all, 0.5 and 0.5 the one or two in the middle.
    mean, rejected : (pixels,), filled.
    """
    values, shares = np.empty(stack.shape[0], np.float64), np.empty(stack.shape[0], np.float64)
    for pixel in range(stack.shape[1]):
        count = _gather(stack, weights, pixel, values, shares)
        if count == 0:
            mean[pixel], rejected[pixel] = np.nan, 0
            continue
        first = min(int(np.floor(low * count + 1e-6)), (count - 1) // 2)
        last = max(int(np.ceil(high * count - 1e-6)), count // 2 + 1)
        mean[pixel], rejected[pixel] = _mean(values, shares, first, last), count - (last - first)
