"""Compiled loops of a turn of deconvolution."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import kernel


@kernel("f4[:,::1], f4[:,::1], f4, f4, f4[:,::1]")
def look_ahead(found, last, part, least, out):
    """Fill (H, W) with what is found, a part farther on the way from `last`, and not below `least`."""
    height, width = out.shape
    for y in range(height):
        for x in range(width):
            out[y, x] = max(found[y, x] + part * (found[y, x] - last[y, x]), least)


@kernel("f4[:,::1], f4[:,::1], f4, f4[:,::1]")
def compare_predicted(data, predicted, least, out):
    """Fill (H, W) with the part by which the data differ from the prediction, which is held to `least`."""
    height, width = out.shape
    for y in range(height):
        for x in range(width):
            predicted[y, x] = max(predicted[y, x], least)
            out[y, x] = data[y, x] / predicted[y, x] - np.float32(1)


@kernel("f4[:,::1], f4, f4[:,::1], f4[:,::1]")
def unit_slopes(plane, flat, across, down):
    """Fill two (H, W) planes with the slopes to the right and downward, divided by their length.

    flat : slopes under it count for less. Past the last row and column there is no slope.
    """
    height, width = plane.shape
    flat = flat * flat
    for y in range(height):
        below = min(y + 1, height - 1)
        for x in range(width - 1):
            right, lower = plane[y, x + 1] - plane[y, x], plane[below, x] - plane[y, x]
            length = np.sqrt(right * right + lower * lower + flat)
            across[y, x] = right / length
            down[y, x] = lower / length
        lower = plane[below, width - 1] - plane[y, width - 1]
        across[y, width - 1] = 0
        down[y, width - 1] = lower / np.sqrt(lower * lower + flat)


@kernel("f4[:,::1], f4[:,::1], f4[:,::1], f4[:,::1], f4[:,::1], f4[:,::1], f4[:,::1], f4")
def correct(found, ratio, predicted, room, floor, across, down, smoothing):
    """Multiply (H, W) `found` by 1 + `ratio`, by less where that may be noise, smooth it a little, hold it to a floor.

    Parameters
    ----------
    ratio : (H, W), a difference as a part of `predicted`.
    room : (H, W), light of a difference from which none is taken for noise; smaller ones count by their square.
    across, down, smoothing : what `unit_slopes` gives, and the weight of the total variation.
    """
    one = np.float32(1)
    height, width = found.shape
    for y in range(height):
        above = max(y - 1, 0)
        upper = np.float32(y > 0)
        for x in range(1, width):
            bent = across[y, x] - across[y, x - 1] + down[y, x] - upper * down[above, x]
            part = ratio[y, x] * predicted[y, x] / room[y, x]
            factor = (one + min(part * part, one) * ratio[y, x]) / (one - smoothing * bent)
            found[y, x] = max(found[y, x] * factor, floor[y, x])
        bent = across[y, 0] + down[y, 0] - upper * down[above, 0]
        part = ratio[y, 0] * predicted[y, 0] / room[y, 0]
        factor = (one + min(part * part, one) * ratio[y, 0]) / (one - smoothing * bent)
        found[y, 0] = max(found[y, 0] * factor, floor[y, 0])
