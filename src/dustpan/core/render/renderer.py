"""Render the pixels of a plan: blocks of the grid, assembled regions, and sketches that fit no block."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import cv2
import numpy as np

from dustpan.core.filters.blend import lay_over
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.pyramid import reduce_picture
from dustpan.core.picture.region import Region, cut_region, with_margin
from dustpan.core.render.grid import BLOCK, BlockIndex, block_indices, block_region, input_region
from dustpan.core.render.plan import Plan, Prepared
from dustpan.core.render.store import Stores
from dustpan.core.steps.context import Context
from dustpan.core.where.fold import mask_of
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.store import Store

_APART = 128 << 20  # bytes of blocks of another side that are kept
_MARGIN_LIMIT = 96  # px of margin up to which a block is worked on its own

#: Gives the working pixels of a region.
Read = Callable[[Region], np.ndarray]


class Renderer:
    """Render plans and keep what was rendered.

    A step makes a region from its input over that region and the step's support around it. Where the input comes
    from is the only difference between the two ways to render:

    * A *block* belongs to the absolute grid, is kept, and may carry a margin: what the steps after it read around it.
      While the margins of all steps together stay small, a block is worked from Base up with its own margins, so that
      a view costs its own blocks and none of their neighbours. Past `_MARGIN_LIMIT` the input is assembled from
      blocks instead. The rule depends on the plan alone: screen and export take the same way and agree bit for bit.
    * A *sketch* is any region, for drafts and patches. Its input is a sketch too, down to Base.

    Results before Mix and Where are kept in both, so that moving a mask runs no filter again.
    """

    def __init__(self, stores: Stores, side: int = BLOCK):
        self.stores, self.side = stores, side
        self.runs: dict[str, int] = {}  # how often each kind's filter ran, for tests and benchmarks
        self._counting = threading.Lock()

    def keeping_few(self, budget: int) -> Renderer:
        """Return one like this that keeps so many bytes of blocks of its own: for work that is kept elsewhere."""
        return self._like(Renderer(replace(self.stores, blocks=Store(budget)), self.side))

    def in_blocks_of(self, side: int) -> Renderer:
        """Return one like this with blocks of another side, px: the same pixels, made in other pieces.

        They are kept apart, as they would push out those of this side, and be of no use to it.
        """
        if side == self.side:
            return self
        apart = Store(min(self.stores.blocks.budget, _APART), rank=-1)
        return self._like(Renderer(replace(self.stores, blocks=apart), side))

    def _like(self, other: Renderer) -> Renderer:
        other.runs, other._counting = self.runs, self._counting
        return other

    # -- assembled --------------------------------------------------------------------------------------------

    def render(self, plan: Plan, region: Region, *, check: Check = no_check) -> np.ndarray:
        """Return a plan's working pixels of a region (in pixels of the plan's level), assembled from blocks."""
        if not plan.active:
            return plan.base.read(region, plan.level)
        x0, y0, x1, y1 = region
        pixels = np.empty((y1 - y0, x1 - x0, plan.channels), np.float32)
        for index in block_indices(region, self.side):
            own = block_region(index, plan.size, self.side)
            shared = max(own[0], x0), max(own[1], y0), min(own[2], x1), min(own[3], y1)
            block = self.block(plan, index, check=check)
            cut_region(pixels, region, shared)[:] = cut_region(block, own, shared)
        return pixels

    def render_reduced(self, plan: Plan, region: Region, level: int, *, check: Check = no_check) -> np.ndarray:
        """Return the area mean by 2 ** level of a plan's exact pixels; the region starts on whole reduced pixels."""
        if not plan.active:
            left, top, right, bottom = region
            return plan.base.read((left >> level, top >> level, -(-right >> level), -(-bottom >> level)), level)
        return reduce_picture(self.render(plan, region, check=check), level, check=check)

    # -- blocks -----------------------------------------------------------------------------------------------

    def block(self, plan: Plan, index: BlockIndex, *, check: Check = no_check) -> np.ndarray:
        """Return one block of a plan's result, read-only, h x w x 3 float32."""
        return self._block(plan, index, 0, check)

    def holds(self, plan: Plan, index: BlockIndex) -> bool:
        """Return whether a block of a plan's result is kept."""
        if not plan.active:
            return True
        return self.stores.blocks.get((plan.active[-1].key, plan.level, self.side, index, 0)) is not None

    def _block(self, plan: Plan, index: BlockIndex, margin: int, check: Check) -> np.ndarray:
        """Return a block with a margin around it, as far as the picture goes."""
        check()
        whole = block_region(index, plan.size, self.side)
        region = with_margin(whole, margin, plan.size)
        if not plan.active:
            return plan.base.read(region, plan.level)
        prepared, position = plan.active[-1], (plan.level, self.side, index, margin)
        before, wide = plan.before(prepared), margin + prepared.support

        def read(wanted: Region) -> np.ndarray:
            if wide > _MARGIN_LIMIT:
                return self.render(before, wanted, check=check)
            own = with_margin(whole, wide, plan.size)
            return cut_region(self._block(before, index, wide, check), own, wanted)

        make = partial(self._run, plan, prepared, region, read, position, check)
        return self.stores.blocks.get_or_make((prepared.key, *position), make, check=check)

    # -- sketches ---------------------------------------------------------------------------------------------

    def sketch(self, plan: Plan, region: Region, *, check: Check = no_check) -> np.ndarray:
        """Return a plan's working pixels of just a region (in pixels of the plan's level)."""
        check()
        if not plan.active:
            return plan.base.read(region, plan.level)
        prepared = plan.active[-1]
        read = partial(self.sketch, plan.before(prepared), check=check)
        position = (plan.level, region)
        if prepared.key != prepared.raw_key:
            return self._run(plan, prepared, region, read, position, check)
        make = partial(self._run, plan, prepared, region, read, position, check)
        return self.stores.blocks.get_or_make((prepared.key, *position), make, check=check)

    # -- one step ---------------------------------------------------------------------------------------------

    def _run(
        self, plan: Plan, prepared: Prepared, region: Region, read: Read, position: tuple, check: Check
    ) -> np.ndarray:
        """Return a step's result over a region, laid over its input as its Mix and Where say.

        The filter is not run where they leave everything out, and its result is kept apart from the mix.
        """
        if prepared.key == prepared.raw_key:
            return self._filter(plan, prepared, region, read, check)
        wide = input_region(region, prepared.support, plan.size)
        tile = read(wide)
        before = plan.before(prepared)
        share = prepared.step.mix * self._mask(
            before, prepared, region, lambda wanted: cut_region(tile, wide, wanted), check
        )
        below = cut_region(tile, wide, region)
        if not np.any(share):
            return below
        make = partial(self._filter, plan, prepared, region, lambda wanted: tile, check)
        above = self.stores.blocks.get_or_make((prepared.raw_key, *position), make, check=check)
        return lay_over(below, above, law=prepared.step.blend, share=share)

    def _mask(
        self, before: Plan, prepared: Prepared, region: Region, read_input: Read, check: Check
    ) -> np.ndarray | float:
        """Return the mask of a step; its parts look at Base made quiet, or at the result of the steps before it."""
        looks_at = prepared.looks_at
        read = read_input if looks_at is None else partial(self.render, looks_at.at(before.level), check=check)
        if before.channels == 1:
            read = partial(_grey_of_mosaic, read)
        where, analyses = prepared.step.where, prepared.mask_analyses
        return mask_of(where, region, before.size, level=before.level, analyses=analyses, read=read)

    def show_mask(self, before: Plan, prepared: Prepared, region: Region, *, check: Check = no_check) -> np.ndarray:
        """Return the mask of a step over a region in pixels of a level, (h, w) float32.

        before : the plan of the steps before it, at that level.
        """
        mask = self._mask(before, prepared, region, partial(self.sketch, before, check=check), check)
        return np.broadcast_to(np.float32(mask), (region[3] - region[1], region[2] - region[0]))

    def _filter(self, plan: Plan, prepared: Prepared, region: Region, read: Read, check: Check) -> np.ndarray:
        """Run a step's filter: read the tile with its support, apply, cut the support off."""
        wide = input_region(region, prepared.support, plan.size)
        tile = read(wide)
        tile.flags.writeable = False
        check()
        result = prepared.kind.apply(tile, wide, prepared.params, prepared.analysis, context_of(plan, prepared, check))
        with self._counting:
            self.runs[prepared.kind.kind] = self.runs.get(prepared.kind.kind, 0) + 1
        return np.ascontiguousarray(cut_region(result, wide, region), np.float32)

    # -- inside a step ----------------------------------------------------------------------------------------

    def show_inside(
        self, before: Plan, prepared: Prepared, name: str, region: Region, *, level: int, check: Check = no_check
    ) -> np.ndarray:
        """Return an inner picture of a step for a region in pixels of a level; h x w x 3, 0 to 1.

        Parameters
        ----------
        before : the plan of the steps before it.
        name : one that its kind's `inside` names. A picture that marks single pixels is made at full size and reduced
            by maximum.
        """
        if prepared.kind.inside[name].fine:
            make = partial(self._inside, before.at(0), prepared, name, check)
            return _reduce_by_maximum(make, region, before, level)
        params = prepared.kind.scaled(prepared.params, level) or prepared.params
        return self._inside(before.at(level), replace(prepared, params=params), name, check, region)

    def _inside(self, before: Plan, prepared: Prepared, name: str, check: Check, region: Region) -> np.ndarray:
        wide = input_region(region, prepared.support, before.size)
        tile = self.sketch(before, wide, check=check)
        context = context_of(before, prepared, check)
        shown = prepared.kind.show_inside(name, tile, wide, prepared.params, prepared.analysis, context)
        return np.ascontiguousarray(cut_region(shown, wide, region), np.float32)


def context_of(plan: Plan, prepared: Prepared, check: Check) -> Context:
    """Return what a step of a plan may know beside its tile."""
    features, known = (plan.features, plan.known) if plan.level == 0 else (None, None)
    return Context(prepared.noise, plan.size, plan.level, check, plan.base.mosaic, features, known)


def _grey_of_mosaic(read: Read, region: Region) -> np.ndarray:
    """Return display tones, h x w x 3, of a sensor's mosaic, its colours blurred into one another."""
    light = cv2.GaussianBlur(read(region)[..., 0], (9, 9), 2.0, borderType=cv2.BORDER_REFLECT)
    return np.repeat(encode_curve(np.maximum(light, 0))[..., None], 3, axis=2)


def _reduce_by_maximum(make: Read, region: Region, plan: Plan, level: int) -> np.ndarray:
    """Return a region of a full-size picture reduced by 2 ** level; each pixel takes its pixels' maximum."""
    side = 1 << level
    x0, y0, x1, y1 = (v * side for v in region)
    width, height = plan.base.size
    full = make((x0, y0, min(x1, width), min(y1, height)))
    if side == 1:
        return full
    missing = (y1 - y0 - full.shape[0], x1 - x0 - full.shape[1])
    full = np.pad(full, ((0, missing[0]), (0, missing[1]), (0, 0)))
    return full.reshape(full.shape[0] // side, side, full.shape[1] // side, side, 3).max(axis=(1, 3))
