"""Whole equals tiled: what every step is held to."""

from __future__ import annotations

import numpy as np

from dustpan.core.picture.region import Region
from dustpan.core.render.engine import Engine
from dustpan.core.render.plan import Plan
from dustpan.core.steps.context import Context
from dustpan.core.steps.step_kind import MAX_SUPPORT


def _regions(width: int, height: int) -> list[Region]:
    """Over the sides of blocks, at the picture's end, in its corner, and on no grid at all."""
    return [
        (72, 40, width, height * 2 // 3),
        (width * 3 // 5 // 8 * 8, height // 3 // 8 * 8, width, height),
        (0, height - 36, 64, height),
        (73, 41, width * 2 // 3, 97),
    ]


def compare_whole_and_tiled(engine: Engine, plan: Plan) -> None:
    """The filter on the whole picture gives what blocks and sketches give; the input where nothing is to be done."""
    size = plan.size
    tile = engine.source.read((0, 0, *size))
    if not plan.active:
        assert np.array_equal(engine.render(plan, (0, 0, *size)), tile)
        return
    prepared = plan.active[0]
    kept = tile.copy()
    tile.flags.writeable = False
    context = Context(prepared.noise, size, mosaic=engine.source.mosaic, features=engine.source.features)
    whole = prepared.kind.apply(tile, (0, 0, *size), prepared.params, prepared.analysis, context)
    assert whole.shape[:2] == kept.shape[:2] and whole.shape[2] == plan.channels
    assert np.isfinite(whole).all()
    assert np.array_equal(tile, kept)
    assert 0 <= prepared.kind.support(prepared.params, prepared.analysis) <= prepared.kind.max_support
    tiled = engine.render(plan, (0, 0, *size))
    assert tiled.dtype == np.float32
    assert np.abs(tiled - whole).max() < 1e-5
    for x0, y0, x1, y1 in _regions(*size):
        sketch, block = engine.sketch(plan, (x0, y0, x1, y1)), tiled[y0:y1, x0:x1]
        if prepared.kind.max_support > MAX_SUPPORT:  # beyond its support a pixel counts for less than rounding
            assert np.abs(sketch - block).max() < 2e-6
        else:
            assert np.array_equal(sketch, block)
