"""Compiled loops of a turn of deconvolution; planes may be parts of larger ones."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels.compiled import kernel


@kernel("f4[:,:], f4[:,:], f4, f4, f4[:,::1]")
def look_ahead(found, last, part, least, out):
    """Fill (H, W) with what is found, a part farther on the way from `last`, and not below `least`."""
    height, width = out.shape
    for y in range(height):
        for x in range(width):
            out[y, x] = max(found[y, x] + part * (found[y, x] - last[y, x]), least)


@kernel("f4[:,:], f4[:,:], f4[:,:], f4[:,:], f4, f4[:,::1]")
def compare_told(data, told, under, room, least, out):
    """Fill (H, W) with data divided by what the found picture tells, nearer to 1 where the difference may be noise.

    Parameters
    ----------
    data, told, under : (H, W), light; `under` is added to `told`, which is held to `least` then.
    room : (H, W), difference from which none is taken for noise; smaller ones count by their square.
    """
    one = np.float32(1)
    height, width = out.shape
    for y in range(height):
        for x in range(width):
            value = max(told[y, x] + under[y, x], least)
            part = (data[y, x] - value) / room[y, x]
            out[y, x] = one + min(part * part, one) * (data[y, x] / value - one)
