"""Compiled loops over single pixels, where array arithmetic would pass over memory many times.

Serial and without the interpreter lock, like all kernels; arrays come in C-contiguous and float32.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel

#: The elements of the orthonormal opponent transform, see `filters.colour.OPPONENT`.
_A, _B, _C = np.float32(3**-0.5), np.float32(2**-0.5), np.float32(6**-0.5)
# Coherence of the slopes, and energy as a multiple of the noise's, between which structure is let through.
_DIRECTED = (np.float32(0.38), np.float32(0.72))
_STRONG = (np.float32(0.9), np.float32(1.8))


@kernel("f4[:,:,::1], f4[:,:,::1]")
def split_opponent(rgb, planes):
    """Fill 3 x H x W opponent planes from H x W x 3."""
    height, width = rgb.shape[:2]
    for y in range(height):
        for x in range(width):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            planes[0, y, x] = (r + g + b) * _A
            planes[1, y, x] = (r - b) * _B
            planes[2, y, x] = (r + b - g - g) * _C


@kernel("f4[:,:,::1], f4[:,:,::1]")
def join_opponent(planes, rgb):
    """Fill H x W x 3 from 3 x H x W opponent planes."""
    height, width = rgb.shape[:2]
    for y in range(height):
        for x in range(width):
            grey, first, half = planes[0, y, x] * _A, planes[1, y, x] * _B, planes[2, y, x] * _C
            rgb[y, x, 0] = grey + first + half
            rgb[y, x, 1] = grey - half - half
            rgb[y, x, 2] = grey - first + half


@kernel("f4[:,:,::1], f4[:,::1]")
def mean_tone(rgb, tone):
    """Fill (H, W) with the mean of the channels of H x W x 3."""
    third = np.float32(1 / 3)
    height, width = tone.shape
    for y in range(height):
        for x in range(width):
            tone[y, x] = (rgb[y, x, 0] + rgb[y, x, 1] + rgb[y, x, 2]) * third


@kernel("f4[:,:,::1], f4[:,::1], f4, f4[:,:,::1]")
def add_grey(rgb, grey, part, out):
    """Fill H x W x 3 with `rgb` and `part` of a plane added to each channel alike; `out` may be `rgb`."""
    height, width = grey.shape
    for y in range(height):
        for x in range(width):
            more = part * grey[y, x]
            out[y, x, 0] = rgb[y, x, 0] + more
            out[y, x, 1] = rgb[y, x, 1] + more
            out[y, x, 2] = rgb[y, x, 2] + more


@helper
def _held(more, room):
    """Return a change that comes up to `room` and not past it: half of the room is free."""
    free = np.float32(0.5) * room
    if more <= free:
        return more
    past = more - free
    return free + free * past / (past + free + np.float32(1e-9))


@kernel("f4[:,:,::1], f4[:,::1], f4, f4, f4, f4[:,:,::1]")
def add_grey_within(rgb, grey, part, black, white, out):
    """Do what `add_grey` does, but drive no channel past black or white that has not been there."""
    height, width = grey.shape
    for y in range(height):
        for x in range(width):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            more = part * grey[y, x]
            if more > 0:
                more = _held(more, abs(white - max(r, max(g, b))))
            elif more < 0:
                more = -_held(-more, abs(min(r, min(g, b)) - black))
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r + more, g + more, b + more


@kernel("f4[::1], f4[::1], f4[::1]")
def soft_light(below, above, out):
    """Fill N values with `above` laid over `below` by soft light, as the compositing formulas of W3C define it.

    `above` is held to 0 to 1; values of `below` beyond 0 to 1 stay as they are.
    """
    zero, half, one, two = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
    for n in range(below.shape[0]):
        b, a = below[n], min(max(above[n], zero), one)
        push = two * a - one
        if b <= zero or b >= one:
            out[n] = b
        elif a <= half:
            out[n] = b + push * b * (one - b)
        elif b <= np.float32(0.25):
            out[n] = b + push * (((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b - b)
        else:
            out[n] = b + push * (np.sqrt(b) - b)


@kernel("f4[::1], f4[::1], f4[::1]")
def hard_light(below, above, out):
    """Fill N values with `above` laid over `below` by hard light: multiplied where dark, screened where bright.

    Beyond 0 to 1 it stays continuous and never falls where `below` or `above` rises: nothing above white is darkened
    by screening, nothing below black by multiplying, and an `above` beyond the ends counts as itself.
    """
    zero, half, one, two = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
    for n in range(below.shape[0]):
        b, a = below[n], above[n]
        if a <= zero:
            out[n] = min(a, b)
        elif a >= one:
            out[n] = max(a, b)
        elif a <= half:
            out[n] = two * a * b if b > zero else b
        else:
            out[n] = b + (two * a - one) * max(one - b, zero)


@kernel("f4[::1], f4[:,::1], f4, f4[:,::1]")
def look_up(tone, tables, factor, out):
    """Fill (3, N) from (3, M) tables over tones 0 to 1, times a factor, at N tones; NaN counts as 0."""
    last = tables.shape[1] - 1
    for n in range(tone.shape[0]):
        at = min(max(tone[n], np.float32(0)), np.float32(1))
        index = int(at * np.float32(last) + np.float32(0.5)) if at > 0 else 0
        out[0, n] = tables[0, index] * factor
        out[1, n] = tables[1, index] * factor
        out[2, n] = tables[2, index] * factor


@kernel("f4[::1], f4[::1], f4[::1]")
def bend_values(values, table, out):
    """Fill (N,) with a table of the squares of 0 to 1 at N values; mirrored below 0, as far above 1 as before."""
    last = len(table) - 1
    for n in range(len(values)):
        size = abs(values[n])
        bent = size
        if size < np.float32(1):
            place = np.sqrt(size) * np.float32(last)
            low = int(place)
            bent = table[low] + (table[low + 1] - table[low]) * (place - np.float32(low))
        out[n] = bent if values[n] >= 0 else -bent


@helper
def _smooth(value, low, high):
    part = min(max((value - low) / (high - low), np.float32(0)), np.float32(1))
    return part * part * (np.float32(3) - np.float32(2) * part)


@kernel("f4[:,:,::1], f4[:,::1], f4[:,::1], f4[:,::1]")
def structure_share(tensor, sigma, soft, out):
    """Scale `soft` by how directed each pixel's neighbourhood is, and how strong beside the noise.

    Parameters
    ----------
    tensor : (H, W, 4), smoothed xx, yy, xy of the slopes and the energy.
    sigma : (H, W), deviation of the noise.
    soft : (H, W), what is scaled.
    out : (H, W), filled with the result.
    """
    height, width = soft.shape
    for y in range(height):
        for x in range(width):
            xx, yy, xy = tensor[y, x, 0], tensor[y, x, 1], tensor[y, x, 2]
            spread = np.sqrt((xx - yy) * (xx - yy) + np.float32(4) * xy * xy)
            coherence = spread / (xx + yy + np.float32(1e-12))
            expected = max(sigma[y, x] * sigma[y, x] / np.float32(3), np.float32(1e-12))
            strength = tensor[y, x, 3] / expected
            share = _smooth(coherence, _DIRECTED[0], _DIRECTED[1])
            out[y, x] = soft[y, x] * share * _smooth(strength, _STRONG[0], _STRONG[1])


@kernel("f4[:,::1], f4[:,::1], f4[:,:,::1], f4[:,::1], f4[:,::1], f4[:,::1], f4[::1], f4[:,::1]")
def add_detail(plane, detail, around, noise, top, floor, settings, added):
    """Fill `added` with the detail that passes the gates, held where it would pass the neighbourhood's extremes.

    Parameters
    ----------
    plane, detail : (H, W), tones and their detail.
    around : (H, W, 4), smoothed xx, yy, xy of the slopes and the square of the detail.
    noise : (H, W), deviation of the noise in the detail.
    top, floor : (H, W), lightest and darkest tone of each neighbourhood; the pixel's own counts besides.
    settings : (6,) amount, noise gate, threshold, edge gate, light and dark overshoot allowed.
    added : (H, W), filled with the result.
    """
    amount, noise_gate, threshold = settings[0], settings[1], settings[2]
    edge_gate, light, dark = settings[3], settings[4], settings[5]
    unit, small = np.float32(1), np.float32(1e-9)
    height, width = plane.shape
    for y in range(height):
        for x in range(width):
            xx, yy, xy = around[y, x, 0], around[y, x, 1], around[y, x, 2]
            energy = np.sqrt(max(around[y, x, 3], np.float32(0)))
            gate = unit
            if noise_gate > 0:
                relative = energy / max(noise[y, x], np.float32(1e-6))
                gate = _smooth(relative, np.float32(0.8) * noise_gate, np.float32(1.6) * noise_gate)
            if threshold > 0:
                gate *= _smooth(energy, np.float32(0.3) * threshold, np.float32(1.2) * threshold)
            if edge_gate > 0:
                directed = np.sqrt((xx - yy) * (xx - yy) + np.float32(4) * xy * xy) / (xx + yy + small)
                gate *= unit - edge_gate * (unit - _smooth(directed, np.float32(0.2), np.float32(0.6)))
            result = plane[y, x] + amount * gate * detail[y, x]
            highest, lowest = max(top[y, x], plane[y, x]), min(floor[y, x], plane[y, x])
            if result > highest:
                result = highest + light * (result - highest)
            elif result < lowest:
                result = lowest - dark * (lowest - result)
            added[y, x] = result - plane[y, x]


@helper
def _farthest_near(plane, y, x, reach, sign, enough):
    """Return the highest of `sign` times the values within `reach` px, or the first that is found to be `enough`."""
    height, width = plane.shape
    found = sign * plane[y, x]
    for row in range(max(y - reach, 0), min(y + reach + 1, height)):
        for column in range(max(x - reach, 0), min(x + reach + 1, width)):
            if found >= enough:
                return found
            found = max(found, sign * plane[row, column])
    return found


@kernel("f4[:,:,::1], i8, f4, f4, f4[:,:,::1]")
def hold_pixels_within(noisy, reach, lowest, highest, cleaned):
    """Hold what passes 0 or 1 in H x W x 3 `cleaned` to the farthest noisy value within `reach` px.

    Parameters
    ----------
    lowest, highest : of `noisy`: no search goes on past them.
    """
    height, width = cleaned.shape[:2]
    for y in range(height):
        for x in range(width):
            for n in range(3):
                value = cleaned[y, x, n]
                if not (value < np.float32(0) or value > np.float32(1)):
                    continue
                sign = np.float32(1) if value > np.float32(1) else np.float32(-1)
                end = highest if value > np.float32(1) else -lowest
                most = _farthest_near(noisy[:, :, n], y, x, reach, sign, min(sign * value, end))
                cleaned[y, x, n] = sign * min(sign * value, most)
