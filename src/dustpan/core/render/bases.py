"""Make Base: the result of the leading steps, in full size, kept as sparingly as it allows."""

from __future__ import annotations

import os
import tempfile

import numpy as np

from dustpan.core.errors import SaveError
from dustpan.core.picture.base import Base, ChangedBase, WholeBase
from dustpan.core.picture.changed import Change, ChangedPixels
from dustpan.core.picture.region import Region
from dustpan.core.render.grid import block_regions, side_for_all
from dustpan.core.render.plan import Plan
from dustpan.core.render.renderer import Renderer
from dustpan.core.work.cancel import Check
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import run_shared

_LARGE = 256 << 20  # bytes from which a Base is kept in a file
_FEW_BLOCKS = 64 << 20  # bytes of blocks kept meanwhile: the Base itself holds the pixels
_FEW_PIXELS = 0.02  # share of a picture; up to so many changed pixels are kept singly


def make_base(renderer: Renderer, start: Plan, plan: Plan, *, pool: Pool | None, check: Check) -> Base:
    """Return a base with a plan's result.

    Parameters
    ----------
    start : the plan of the picture before these steps; where few pixels differ from it only those are kept.
    plan : the steps, on the same base.
    pool : threads that help.
    """
    renderer = renderer.keeping_few(_FEW_BLOCKS)
    if plan.channels == start.channels:
        changed = _find_changes(renderer, start, plan, pool, check)
        if changed is not None:
            return ChangedBase(plan.key, start.base, changed)
    width, height = plan.size
    pixels = _allocate((height, width, 3))

    def render_block(region: Region) -> None:
        x0, y0, x1, y1 = region
        pixels[y0:y1, x0:x1] = renderer.sketch(plan, region, check=check)

    run_shared(render_block, block_regions(plan.size, side_for_all(plan.size)), pool)
    return WholeBase(plan.key, pixels, pool=pool)


def _find_changes(renderer: Renderer, start: Plan, plan: Plan, pool: Pool | None, check: Check) -> ChangedPixels | None:
    """Return the pixels in which a plan differs from its start, or None when they are too many to keep singly."""
    width, height = plan.size
    parts: list[Change] = []
    most = _FEW_PIXELS * width * height

    def compare_block(region: Region) -> None:
        if sum(len(part[0]) for part in parts) > most:
            return
        before, after = (renderer.sketch(p, region, check=check) for p in (start, plan))
        differs = before != after
        rows, columns = np.nonzero(differs[..., 0] | differs[..., 1] | differs[..., 2])
        parts.append(((rows + region[1]) * width + columns + region[0], after[rows, columns]))

    run_shared(compare_block, block_regions(plan.size, side_for_all(plan.size)), pool)
    few = sum(len(part[0]) for part in parts) <= most
    return ChangedPixels.gather(plan.size, parts) if few else None


def _allocate(shape: tuple[int, int, int]) -> np.ndarray:
    """Return a float32 array, in memory or, when it is large, in a file."""
    return np.empty(shape, np.float32) if np.prod(shape) * 4 <= _LARGE else _map_file(shape)


def _map_file(shape: tuple[int, int, int]) -> np.ndarray:
    """Return an array in a nameless file whose room is reserved: a full disk would else end the process at a write.

    Raises SaveError when the temporary folder has no room.
    """
    file = tempfile.TemporaryFile()  # noqa: SIM115  (the map keeps it open for as long as it lives)
    size = int(np.prod(shape)) * 4
    try:
        os.posix_fallocate(file.fileno(), 0, size)
    except OSError as fault:
        file.close()
        raise SaveError(
            f"{tempfile.gettempdir()}: the temporary folder has no room for {size >> 20} MB ({fault.strerror})."
            " Make room, or name another in TMPDIR."
        ) from fault
    return np.memmap(file, np.float32, "r+", shape=shape)
