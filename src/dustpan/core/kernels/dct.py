"""Compiled inner loops of the sliding block transform.

Each kernel is serial and releases the interpreter lock: parallelism is blocks of the picture, never threads
inside a kernel. Scratch rows have compile-time strides, which is what lets the compiler vectorise across
windows. Arrays come from `filters/dct.py`, always C-contiguous float32.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import helper, kernel
from dustpan.core.kernels.eight import forward, inverse

SEGMENT = 64  # windows worked together: 64 coefficients of each fit the first-level cache
STRIDE = 1024  # longest half row of a tile, in samples
# How many coefficients of a window hold signal where it begins to count as busy, and where it does altogether. Noise is
# taken for weaker there: what is left of it does not show in texture, and texture that goes does.
_BARE, _BUSY = np.float32(1.2), np.float32(4.6)
MOST = np.float32(4)  # of one coefficient's energy in that of its noise, so that an edge is no texture
_EASED_THRESHOLD, _EASED_NOISE = np.float32(0.15), np.float32(0.3)  # part by which it is taken for weaker, at most


@helper
def _ease(signal, sigma, part, count, eased):
    """Fill `eased` with the noise taken for weaker by up to `part`, by how many coefficients with signal there are."""
    for t in range(count):
        busy = min(max((signal[t] - _BARE) / (_BUSY - _BARE), np.float32(0)), np.float32(1))
        eased[t] = sigma[t] * (np.float32(1) - part * busy)


@helper
def _columns(plane, top, half, rows):
    """Transform eight rows of one phase down their columns into `rows` (8 x STRIDE)."""
    b0, b1, b2, b3 = plane[top], plane[top + 1], plane[top + 2], plane[top + 3]
    b4, b5, b6, b7 = plane[top + 4], plane[top + 5], plane[top + 6], plane[top + 7]
    for x in range(half):
        c0, c1, c2, c3, c4, c5, c6, c7 = forward(b0[x], b1[x], b2[x], b3[x], b4[x], b5[x], b6[x], b7[x])
        rows[x] = c0
        rows[STRIDE + x] = c1
        rows[2 * STRIDE + x] = c2
        rows[3 * STRIDE + x] = c3
        rows[4 * STRIDE + x] = c4
        rows[5 * STRIDE + x] = c5
        rows[6 * STRIDE + x] = c6
        rows[7 * STRIDE + x] = c7


@helper
def _windows(even, odd, start, count, coefficients):
    """Transform along rows for `count` windows from `start`, into 64 rows of SEGMENT coefficients."""
    for k in range(8):
        e = even[k * STRIDE + start : k * STRIDE + start + SEGMENT + 4]
        o = odd[k * STRIDE + start : k * STRIDE + start + SEGMENT + 4]
        c = coefficients[8 * k * SEGMENT : 8 * (k + 1) * SEGMENT]
        for t in range(count):
            c0, c1, c2, c3, c4, c5, c6, c7 = forward(
                e[t], o[t], e[t + 1], o[t + 1], e[t + 2], o[t + 2], e[t + 3], o[t + 3]
            )
            c[t] = c0
            c[SEGMENT + t] = c1
            c[2 * SEGMENT + t] = c2
            c[3 * SEGMENT + t] = c3
            c[4 * SEGMENT + t] = c4
            c[5 * SEGMENT + t] = c5
            c[6 * SEGMENT + t] = c6
            c[7 * SEGMENT + t] = c7


@helper
def _keep_strong(c, sigma, spectrum, threshold, count, eased, weight):
    """Zero the coefficients under the threshold; leave in `weight` the inverse of the noise kept."""
    for t in range(count):
        weight[t] = np.float32(0)
    for n in range(1, 64):
        shape = spectrum[n]
        row = c[n * SEGMENT : (n + 1) * SEGMENT]
        for t in range(count):
            weight[t] += np.float32(1.0) if abs(row[t]) > threshold * shape * sigma[t] else np.float32(0.0)
    _ease(weight, sigma, _EASED_THRESHOLD, count, eased)
    for t in range(count):
        weight[t] = spectrum[0] * spectrum[0]
    for n in range(1, 64):
        shape = spectrum[n]
        power = shape * shape
        row = c[n * SEGMENT : (n + 1) * SEGMENT]
        for t in range(count):
            limit = threshold * shape * eased[t]
            keep = np.float32(1.0) if abs(row[t]) > limit else np.float32(0.0)
            row[t] = row[t] * keep
            weight[t] += power * keep
    for t in range(count):
        weight[t] = np.float32(1.0) / (weight[t] * sigma[t] * sigma[t] + np.float32(1e-9))


@helper
def _shrink(c, p, sigma, spectrum, least, count, eased, weight):
    """Scale each coefficient by the pilot's share of signal, never under `least`."""
    for t in range(count):
        weight[t] = np.float32(0)
    for n in range(1, 64):
        power = spectrum[n] * spectrum[n]
        pilot = p[n * SEGMENT : (n + 1) * SEGMENT]
        for t in range(count):
            energy = pilot[t] * pilot[t]
            weight[t] += energy / (energy + power * sigma[t] * sigma[t] + np.float32(1e-12))
    _ease(weight, sigma, _EASED_NOISE, count, eased)
    for t in range(count):
        weight[t] = spectrum[0] * spectrum[0]
    for n in range(1, 64):
        shape = spectrum[n]
        power = shape * shape
        row = c[n * SEGMENT : (n + 1) * SEGMENT]
        pilot = p[n * SEGMENT : (n + 1) * SEGMENT]
        for t in range(count):
            energy = pilot[t] * pilot[t]
            gain = energy / (energy + power * eased[t] * eased[t] + np.float32(1e-12))
            gain = gain if gain > least else least
            row[t] = row[t] * gain
            weight[t] += power * gain * gain
    for t in range(count):
        weight[t] = np.float32(1.0) / (weight[t] * sigma[t] * sigma[t] + np.float32(1e-9))


@helper
def _sum_energy(c, sigma, spectrum, count, energy):
    """Fill `energy` with the sum of the coefficients' energies in those of their noise."""
    for t in range(count):
        energy[t] = np.float32(0)
    for n in range(1, 64):
        power = spectrum[n] * spectrum[n]
        row = c[n * SEGMENT : (n + 1) * SEGMENT]
        for t in range(count):
            energy[t] += min(row[t] * row[t] / (power * sigma[t] * sigma[t] + np.float32(1e-12)), MOST)


@helper
def _gather(c, weight, start, count, even, odd, even_weight, odd_weight, scratch):
    """Transform back along rows and add, weighted, to the half-transformed sums."""
    for k in range(8):
        row = c[8 * k * SEGMENT : 8 * (k + 1) * SEGMENT]
        for t in range(count):
            w = weight[t]
            a0, a1, a2, a3, a4, a5, a6, a7 = inverse(
                row[t],
                row[SEGMENT + t],
                row[2 * SEGMENT + t],
                row[3 * SEGMENT + t],
                row[4 * SEGMENT + t],
                row[5 * SEGMENT + t],
                row[6 * SEGMENT + t],
                row[7 * SEGMENT + t],
            )
            scratch[t] = a0 * w
            scratch[SEGMENT + t] = a1 * w
            scratch[2 * SEGMENT + t] = a2 * w
            scratch[3 * SEGMENT + t] = a3 * w
            scratch[4 * SEGMENT + t] = a4 * w
            scratch[5 * SEGMENT + t] = a5 * w
            scratch[6 * SEGMENT + t] = a6 * w
            scratch[7 * SEGMENT + t] = a7 * w
        for j in range(4):
            at = k * STRIDE + start + j
            first = scratch[2 * j * SEGMENT : (2 * j + 1) * SEGMENT]
            second = scratch[(2 * j + 1) * SEGMENT : (2 * j + 2) * SEGMENT]
            e, o = even[at : at + SEGMENT], odd[at : at + SEGMENT]
            for t in range(count):
                e[t] += first[t]
                o[t] += second[t]
    for j in range(4):
        e, o = even_weight[start + j : start + j + SEGMENT], odd_weight[start + j : start + j + SEGMENT]
        for t in range(count):
            e[t] += weight[t]
            o[t] += weight[t]


@helper
def _spread(rows, top, half, plane):
    """Transform the sums back down their columns and add them to eight rows of one phase."""
    b0, b1, b2, b3 = plane[top], plane[top + 1], plane[top + 2], plane[top + 3]
    b4, b5, b6, b7 = plane[top + 4], plane[top + 5], plane[top + 6], plane[top + 7]
    for x in range(half):
        a0, a1, a2, a3, a4, a5, a6, a7 = inverse(
            rows[x],
            rows[STRIDE + x],
            rows[2 * STRIDE + x],
            rows[3 * STRIDE + x],
            rows[4 * STRIDE + x],
            rows[5 * STRIDE + x],
            rows[6 * STRIDE + x],
            rows[7 * STRIDE + x],
        )
        b0[x] += a0
        b1[x] += a1
        b2[x] += a2
        b3[x] += a3
        b4[x] += a4
        b5[x] += a5
        b6[x] += a6
        b7[x] += a7


@kernel("f4[:,:,::1], f4[:,:,::1], f4[:,::1], f4[::1], f4, f4, i8, i8, i8, f4[:,:,::1], f4[:,:,::1]")
def clean_rows(noisy, pilot, sigma, spectrum, threshold, least, phase, first, last, sums, weights):
    """Clean the rows of windows `first` to `last` of one plane: hard threshold when `threshold` > 0, else Wiener.

    Parameters
    ----------
    noisy, pilot : (2, H, W / 2), even and odd columns apart.
    sigma : (H / 2, W / 2), noise of the window that starts there.
    spectrum : (64,) relative deviations of the coefficients.
    threshold : of the coefficients, in deviations.
    least : least factor of a coefficient in the Wiener pass.
    phase : number, along a row of the picture, of the plane's first window. Windows are worked together from whole
        multiples of SEGMENT, so that sums come out the same to the last bit in every tile.
    first, last : rows of windows.
    sums : (2, H, W / 2), to which the results are added.
    weights : (2, H / 2, W / 2), to which their weights are added.
    """
    half = noisy.shape[2]
    windows = half - 3
    even, odd = np.empty(8 * STRIDE, np.float32), np.empty(8 * STRIDE, np.float32)
    pilot_even, pilot_odd = np.empty(8 * STRIDE, np.float32), np.empty(8 * STRIDE, np.float32)
    sum_even, sum_odd = np.empty(8 * STRIDE, np.float32), np.empty(8 * STRIDE, np.float32)
    c, p = np.empty(64 * SEGMENT, np.float32), np.empty(64 * SEGMENT, np.float32)
    scratch = np.empty(8 * SEGMENT, np.float32)
    eased, weight = np.empty(SEGMENT, np.float32), np.empty(SEGMENT, np.float32)
    for strip in range(first, last):
        top = 2 * strip
        _columns(noisy[0], top, half, even)
        _columns(noisy[1], top, half, odd)
        if threshold <= 0:
            _columns(pilot[0], top, half, pilot_even)
            _columns(pilot[1], top, half, pilot_odd)
        sum_even[:] = 0
        sum_odd[:] = 0
        start = 0
        while start < windows:
            count = min(SEGMENT - (start + phase) % SEGMENT, windows - start)
            _windows(even, odd, start, count, c)
            if threshold > 0:
                _keep_strong(c, sigma[strip, start:], spectrum, threshold, count, eased, weight)
            else:
                _windows(pilot_even, pilot_odd, start, count, p)
                _shrink(c, p, sigma[strip, start:], spectrum, least, count, eased, weight)
            _gather(c, weight, start, count, sum_even, sum_odd, weights[0, strip], weights[1, strip], scratch)
            start += count
        _spread(sum_even, top, half, sums[0])
        _spread(sum_odd, top, half, sums[1])


@kernel("f4[:,:,::1], f4[:,::1], f4[::1], i8, i8, i8, f4[:,::1]")
def measure_rows(noisy, sigma, spectrum, phase, first, last, excess):
    """Measure the energy of the windows of rows `first` to `last` of one plane, in that of their noise.

    Parameters
    ----------
    noisy, sigma, spectrum, phase, first, last : as `clean_rows` takes them.
    excess : (H / 2, W / 2), filled with the mean over a window's coefficients but the first; each counts MOST at most.
    """
    half = noisy.shape[2]
    windows = half - 3
    even, odd = np.empty(8 * STRIDE, np.float32), np.empty(8 * STRIDE, np.float32)
    c, energy = np.empty(64 * SEGMENT, np.float32), np.empty(SEGMENT, np.float32)
    for strip in range(first, last):
        _columns(noisy[0], 2 * strip, half, even)
        _columns(noisy[1], 2 * strip, half, odd)
        start = 0
        while start < windows:
            count = min(SEGMENT - (start + phase) % SEGMENT, windows - start)
            _windows(even, odd, start, count, c)
            _sum_energy(c, sigma[strip, start:], spectrum, count, energy)
            excess[strip, start : start + count] = energy[:count] * np.float32(1 / 63)
            start += count
