"""Find in the whole picture what a step finds, as points, so that cards and findings give exact numbers."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from dustpan.core.filters.colour import highest_channel
from dustpan.core.noise.survey import Points
from dustpan.core.picture.region import Region, with_margin
from dustpan.core.render.grid import block_regions
from dustpan.core.render.plan import Plan, Prepared
from dustpan.core.render.renderer import Renderer, context_of
from dustpan.core.work.cancel import Check
from dustpan.core.work.pool import Pool, Priority
from dustpan.core.work.sharing import run_shared


def search_points(
    renderer: Renderer, plan: Plan, before: Plan, prepared: Prepared, *, pool: Pool | None, check: Check
) -> Points:
    """Return (x, y) of the worst pixel of each group of pixels that a step marks.

    Parameters
    ----------
    plan : the plan that holds the step, mended into its Base or not.
    before : the plan of the steps before it.
    """
    size = before.base.size
    support = prepared.kind.support(prepared.params, prepared.analysis)
    changes = _changes_of(renderer, plan, before, prepared, check)
    found: list[tuple[int, int]] = []

    def search_block(region: Region) -> None:
        check()
        wide = with_margin(region, support, size)
        for x, y in _worst_of_groups(changes(wide)):
            x, y = x + wide[0], y + wide[1]
            if region[0] <= x < region[2] and region[1] <= y < region[3]:
                found.append((x, y))

    run_shared(search_block, block_regions(size), pool, priority=Priority.AROUND)
    return tuple(sorted(found))


def _worst_of_groups(change: np.ndarray) -> list[tuple[int, int]]:
    """Return (x, y) of the largest value of each group; values above 0 at most one pixel apart are one group."""
    rows, columns = np.nonzero(change)
    if not len(rows):
        return []
    joined = cv2.dilate((change > 0).view(np.uint8), np.ones((3, 3), np.uint8))
    group = cv2.connectedComponents(joined, connectivity=8)[1][rows, columns]
    worst = np.lexsort((-change[rows, columns], group))[np.unique(np.sort(group), return_index=True)[1]]
    return list(zip(columns[worst].tolist(), rows[worst].tolist(), strict=True))


def _changes_of(
    renderer: Renderer, plan: Plan, before: Plan, prepared: Prepared, check: Check
) -> Callable[[Region], np.ndarray]:
    """Return a function that gives how much a step changes each pixel of a region (h x w), or its marks.

    Where Base holds this step's changed pixels and no others, they are at hand; else the step looks again.
    """
    mended = [other.raw_key for other in plan.mended if not other.idle]
    if plan.base.changed is not None and mended == [prepared.raw_key]:
        return lambda region: highest_channel(np.abs(plan.base.read(region) - before.base.read(region)))
    context = context_of(before.at(0), prepared, check)

    def mark(region: Region) -> np.ndarray:
        tile = renderer.sketch(before, region, check=check)
        return prepared.kind.mark(tile, region, prepared.params, prepared.analysis, context).astype(np.float32)

    return mark
