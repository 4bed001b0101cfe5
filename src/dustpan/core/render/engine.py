"""Render a document: plans of prepared steps, blocks of pixels, two cached layers a step.

Screen, export and batch read the same blocks of one absolute grid of 512 px, each computed from the blocks of
the step before and a support around them. Keys name where pixels come from, never what they are.
"""

from __future__ import annotations

import hashlib
import itertools
import os
import tempfile
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.document.route import Document, Route, Step, Where
from dustpan.core.errors import RemedyError, SaveError
from dustpan.core.filters.blend import lay_over
from dustpan.core.filters.planes import Place, sample_plane
from dustpan.core.noise.model import EvenField, MixedField, NoiseField, NoiseModel
from dustpan.core.picture.base import Base, reduce_picture
from dustpan.core.picture.changed import Changed, Patches
from dustpan.core.picture.source import Region, Source
from dustpan.core.render.store import Cache, size_of
from dustpan.core.steps import kinds, new_step, route_faults
from dustpan.core.steps.base import MAX_SUPPORT, Context, StepKind
from dustpan.core.steps.survey import Survey
from dustpan.core.where.base import mask_of
from dustpan.core.work.pool import Pool, share_out

BLOCK = 512
_ALIGN = 8  # supports are rounded up to this, so that sliding patches keep their places in the picture
_CARRIED = 96  # px of margin up to which a block is worked on its own
_MAPPED = 256 << 20  # a Base larger than this is kept in a file
_BASES = 1 << 30  # bytes of bases kept at least
_FEW = 0.02  # of a picture's pixels; so many or fewer changed ones are kept singly
_SHARE_PIXELS = 250_000  # most of a mask as the noise field sees it
Check = Callable[[], None]


def _nothing() -> None:
    """Stand in for a cancel check."""


def _digest(*parts: Any) -> str:
    return hashlib.blake2b(repr(parts).encode(), digest_size=16).hexdigest()


@dataclass(frozen=True, eq=False)
class Stage:
    """One step of a plan, ready to run.

    params : resolved (automatic values filled in), for the full picture or, in a draft, for the reduced one;
    measured : what the measurement suggests, or None; size : of the full picture, px; raw_key, key : provenance before
    and after Mix and Where.
    """

    step: Step
    kind: StepKind
    params: Params
    measured: Params | None
    analysis: Any
    analysis_key: str
    noise: NoiseField
    size: tuple[int, int]
    raw_key: str
    key: str

    @property
    def idle(self) -> bool:
        """Whether these settings change nothing."""
        return self.kind.idle(self.params)

    @cached_property
    def noise_after(self) -> NoiseField:
        """The noise field behind the step, its Blending, its Mix and its Where."""
        step = self.step
        plain = step.blend == "replace" and step.mix >= 1
        lay = None if plain else partial(lay_over, law=step.blend, share=float(step.mix))
        after = self.kind.carry(self.params, self.analysis, self.noise, lay)
        if step.where.everywhere:
            return after
        return MixedField(self.noise, after, _Shares(step.where, self.size))


class _Shares:
    """A Where as a noise field sees it: a small plane of its shares, made when it is first sampled."""

    def __init__(self, where: Where, size: tuple[int, int]):
        self._where, self._size = where, size
        self._lock = threading.Lock()
        self._plane: np.ndarray | None = None

    def __call__(self, place: Place, shape: tuple[int, int]) -> np.ndarray:
        """Return the shares at evenly spread points of a place."""
        with self._lock:
            if self._plane is None:
                self._plane = self._make()
        return sample_plane(self._plane, place, shape)

    def _make(self) -> np.ndarray:
        """Return the mask of the picture reduced until it is small, its feather with it."""
        width, height = self._size
        level = 0
        while (width >> level) * (height >> level) > _SHARE_PIXELS:
            level += 1
        small = -(-width >> level), -(-height >> level)
        return np.asarray(mask_of(self._where, (0, 0, *small), small, level=level), np.float32)


@dataclass(frozen=True, eq=False)
class Plan:
    """A document made ready to render on one source, at one level (0 is exact).

    prepared : the steps behind Base in their order, also those whose settings change nothing; mended : the leading
    Mend steps, whose result Base holds; outline : leading Mend steps stand among the prepared ones instead.
    """

    base: Base
    prepared: tuple[Stage, ...] = ()
    level: int = 0
    mended: tuple[Stage, ...] = ()
    outline: bool = False

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """The steps that work at this plan's level: lengths shrink in a draft, and tiny steps drop out."""
        working = [stage for stage in self.prepared if not stage.idle]
        if self.level == 0:
            return tuple(working)
        scaled = [(stage, stage.kind.scaled(stage.params, self.level)) for stage in working]
        return tuple(replace(stage, params=params) for stage, params in scaled if params is not None)

    @property
    def key(self) -> str:
        """Provenance of the result.

        What is measured behind an outline's Mend steps is measured on a picture whose reduced copies are not mended, so
        it must never be taken for the measurement on Base.
        """
        own = self.stages[-1].key if self.stages else self.base.key
        return _digest("outline", own) if self.outline and self.stages else own

    @property
    def size(self) -> tuple[int, int]:
        """Width and height at this plan's level."""
        return self.base.size_at(self.level)

    @property
    def channels(self) -> int:
        """Channels of the result: one as long as a mosaic is not developed."""
        raw = self.base.mosaic is not None and not any(stage.kind.only_mosaic for stage in self.stages)
        return 1 if raw else 3

    @property
    def working(self) -> tuple[Stage, ...]:
        """All steps that change anything, those in Base included."""
        return tuple(stage for stage in (*self.mended, *self.prepared) if not stage.idle)

    def at(self, level: int) -> Plan:
        """Return the plan for the picture reduced by 2 ** level; level 0 is the exact one, whichever this is."""
        return self if level == self.level else replace(self, level=level)

    def before(self, stage: Stage) -> Plan:
        """Return the plan of the steps before one of the prepared ones."""
        ids = [prepared.step.id for prepared in self.prepared]
        return replace(self, prepared=self.prepared[: ids.index(stage.step.id)])

    def stage(self, step_id: str) -> Stage | None:
        """Return the stage of a step with its full settings, or None when the step is off."""
        return next((stage for stage in (*self.mended, *self.prepared) if stage.step.id == step_id), None)

    def noise_after(self) -> NoiseField:
        """Return the noise field of the result, at full size."""
        last = next((stage for stage in reversed(self.prepared) if not stage.idle), None)
        return EvenField(self.base.noise) if last is None else last.noise_after


class Engine:
    """Render documents on one source.

    source : the picture. budget : bytes of blocks to keep; bases and analyses have a store of their own, so that
    blocks, which are made anew in a moment, never push them out. noise : a model to use
    instead of measuring. pool : threads
    that may help when a whole picture is needed at once.
    """

    def __init__(
        self, source: Source, *, budget: int = 1 << 30, noise: NoiseModel | None = None, pool: Pool | None = None
    ):
        self.source = source
        self.pool = pool
        self.runs: dict[str, int] = {}  # how often each kind's filter ran, for tests and for the curious
        self._blocks, self._analyses, self._bases = Cache(budget), Cache(budget), Cache(max(budget, _BASES))
        self.base = Base.of(source, noise, pool)
        self._fixed = noise
        self._busy: dict[Any, threading.Event] = {}
        self._lock = threading.Lock()

    # -- planning ---------------------------------------------------------------------------------------------

    def plan(
        self, document: Document, *, frozen: Plan | None = None, outline: bool = False, check: Check = _nothing
    ) -> Plan:
        """Make a document ready: resolve automatic settings, look at the picture, carry the noise.

        frozen : an earlier plan whose measurements are kept for steps that have not changed themselves, while
            a slider of an earlier step is being dragged.
        outline : leave the leading Mend steps among the stages, so that nothing is made of the whole picture: for
            proposals, which look at its overview and at crops.
        """
        plan, active = Plan(self.base, outline=outline), self._active(document)
        if self.source.mosaic is not None:
            developed = 1 + next(n for n, step in enumerate(active) if kinds()[step.kind].only_mosaic)
            plan, active = self._mend(plan, active[:developed], check), active[developed:]
        leading = 0
        while not outline and leading < len(active) and kinds()[active[leading].kind].stage == "Mend":
            leading += 1
        plan = self._mend(plan, active[:leading], check)
        for step in active[leading:]:
            check()
            plan = self._extend(plan, step, frozen, check)
        return plan

    def plan_mosaic(self, route: Route, *, check: Check = _nothing) -> Plan:
        """Return the plan of steps that work on a sensor's mosaic, before its development."""
        plan = Plan(self.base)
        for step in route:
            plan = self._extend(plan, step, None, check)
        return plan

    def _active(self, document: Document) -> list[Step]:
        """Return the steps that work; a mosaic is developed as the camera says when the route leaves that out.

        Raises RemedyError when the route can't work on a mosaic. Development is left out for other pictures.
        """
        steps = list(document.route)
        if self.source.mosaic is None:
            return [step for step in steps if _works(step) and not kinds()[step.kind].only_mosaic]
        if not any(kinds()[step.kind].only_mosaic for step in steps):
            steps = [new_step("develop", "develop"), *steps]
        if faults := route_faults(steps, mosaic=True):
            raise RemedyError("route", faults)
        return [step for step in steps if _works(step)]

    def survey(self, plan: Plan, *, check: Check = _nothing) -> Survey:
        """Return what a step placed after a plan may look at."""
        level = plan.base.overview_level
        small = plan.at(level)
        leading = itertools.takewhile(lambda stage: stage.idle or stage.kind.stage == "Mend", plan.prepared)
        mended = replace(plan, prepared=tuple(leading), level=0)

        def look() -> np.ndarray:
            return self.render(small, (0, 0, *small.size), check=check)

        def sample() -> list[np.ndarray]:
            return [self.sketch(mended, region, check=check) for region in plan.base.crop_regions()]

        return Survey(
            plan.base.size,
            plan.noise_after(),
            plan.base.noise,
            level,
            look,
            self.source.metadata,
            sample,
            plan.base.mosaic,
        )

    def _extend(self, plan: Plan, step: Step, frozen: Plan | None, check: Check) -> Plan:
        kind = kinds()[step.kind]
        kept = frozen.stage(step.id) if frozen else None
        if kept and kept.step.params == step.params:
            analysis_key, look = kept.analysis_key, (kept.params, kept.measured, kept.analysis, kept.noise)
        else:
            analysis_key = _digest(plan.key, step.kind, step.params)
            make = partial(self._look, plan, kind, step.params, check)
            look = self._once(analysis_key, make, check, self._analyses)
        params, measured, analysis, noise = look
        raw_key = _digest(plan.key, step.kind, params, analysis_key)
        plain = step.mix >= 1 and step.where.everywhere and step.blend == "replace"
        key = raw_key if plain else _digest(raw_key, step.mix, step.blend, step.where)
        stage = Stage(step, kind, params, measured, analysis, analysis_key, noise, plan.base.size, raw_key, key)
        return replace(plan, prepared=(*plan.prepared, stage))

    def _look(self, plan: Plan, kind: StepKind, params: Params, check: Check):
        survey = self.survey(plan, check=check)
        measured = kind.measured(survey)
        resolved = kind.resolve(params, measured)
        analysis = None if kind.idle(resolved) else kind.analyse(resolved, survey)
        return resolved, measured, analysis, survey.noise

    def _mend(self, start: Plan, leading: list[Step], check: Check) -> Plan:
        """Return the plan that starts from Base: the picture as it was, or after its leading steps."""
        plan = start
        for step in leading:
            plan = self._extend(plan, step, None, check)
        if not plan.stages:
            return plan
        noise = self._fixed
        if noise is None and plan.channels == start.channels and isinstance(kept := plan.noise_after(), EvenField):
            noise = kept.model  # mending leaves the noise as it is; a developed mosaic is measured anew
        base = self._once(plan.key, lambda: self._materialise(start, plan, noise, check), check, self._bases)
        return Plan(base, mended=(*start.mended, *plan.prepared), outline=plan.outline)

    def _materialise(self, start: Plan, plan: Plan, noise: NoiseModel | None, check: Check) -> Base:
        """Return a base with a plan's result: where few pixels differ from the start only those are kept."""
        patches = None if plan.channels != start.channels else self._differing(start, plan, check)
        if patches is not None:
            return start.base.patched(plan.key, patches, noise)
        width, height = plan.size
        shape = (height, width, 3)
        pixels: np.ndarray
        pixels = _mapped(shape) if np.prod(shape) * 4 > _MAPPED else np.empty(shape, np.float32)

        def one(region: Region) -> None:
            x0, y0, x1, y1 = region
            pixels[y0:y1, x0:x1] = self.sketch(plan, region, check=check)

        share_out(one, list(blocks_of(plan.size)), self.pool)
        return Base(plan.key, pixels, noise=noise, pool=self.pool)

    def _differing(self, start: Plan, plan: Plan, check: Check) -> Patches | None:
        """Return the pixels in which a plan differs from its start, or None when they are too many to keep singly."""
        width, height = plan.size
        parts: list[Changed] = []
        most = _FEW * width * height

        def one(region: Region) -> None:
            if sum(len(part[0]) for part in parts) > most:
                return
            before, after = self.sketch(start, region, check=check), self.sketch(plan, region, check=check)
            differs = before != after
            rows, columns = np.nonzero(differs[..., 0] | differs[..., 1] | differs[..., 2])
            parts.append(((rows + region[1]) * width + columns + region[0], after[rows, columns]))

        share_out(one, list(blocks_of(plan.size)), self.pool)
        return Patches.gather(plan.size, parts) if sum(len(part[0]) for part in parts) <= most else None

    # -- rendering --------------------------------------------------------------------------------------------

    def render(self, plan: Plan, region: Region, *, check: Check = _nothing) -> np.ndarray:
        """Return a plan's working pixels of a region (in pixels of the plan's level), assembled from blocks."""
        if not plan.stages:
            return plan.base.read(region, plan.level)
        x0, y0, x1, y1 = region
        pixels = np.empty((y1 - y0, x1 - x0, plan.channels), np.float32)
        for column, row in _block_numbers(region):
            bx0, by0, bx1, by1 = _block_region(column, row, plan.size)
            left, top, right, below = max(bx0, x0), max(by0, y0), min(bx1, x1), min(by1, y1)
            block = self.block(plan, column, row, check=check)
            pixels[top - y0 : below - y0, left - x0 : right - x0] = block[
                top - by0 : below - by0, left - bx0 : right - bx0
            ]
        return pixels

    def render_reduced(self, plan: Plan, region: Region, level: int, *, check: Check = _nothing) -> np.ndarray:
        """Return the area mean by 2 ** level of a plan's exact pixels; the region starts on whole cells."""
        if not plan.stages:
            left, top, right, below = region
            return plan.base.read((left >> level, top >> level, -(-right >> level), -(-below >> level)), level)
        return reduce_picture(self.render(plan, region, check=check), level, check=check)

    def inside(self, plan: Plan, step_id: str, name: str, region: Region, *, check: Check = _nothing) -> np.ndarray:
        """Return an inner picture of a step for a region, in pixels of the plan's level; h x w x 3, 0 to 1.

        A step that is off has none: its place in the route is shown instead.
        """
        stage = plan.stage(step_id)
        if stage is None:
            return self.sketch(plan, region, check=check)
        before = self.before(plan, stage)
        if stage.kind.inside[name].fine:
            return _reduced_by_most(partial(self._inside, before.at(0), stage, name, check), region, plan)
        params = stage.kind.scaled(stage.params, plan.level) or stage.params
        return self._inside(before.at(plan.level), replace(stage, params=params), name, check, region)

    def _inside(self, before: Plan, stage: Stage, name: str, check: Check, region: Region) -> np.ndarray:
        wide = _seen(region, stage, before.size)
        tile = self.sketch(before, wide, check=check)
        context = Context(stage.noise, before.size, before.level, check, before.base.mosaic)
        shown = stage.kind.show_inside(name, tile, wide, stage.params, stage.analysis, context)
        return np.ascontiguousarray(_cut(shown, wide, region), np.float32)

    def block(self, plan: Plan, column: int, row: int, *, check: Check = _nothing) -> np.ndarray:
        """Return one block of a plan's result, read-only, h x w x 3 float32."""
        return self._part(plan, (column, row), 0, check)

    def holds(self, plan: Plan, column: int, row: int) -> bool:
        """Return whether a block of a plan's result is at hand."""
        return not plan.stages or self._blocks.get((plan.stages[-1].key, plan.level, column, row, 0)) is not None

    def _part(self, plan: Plan, number: tuple[int, int], margin: int, check: Check) -> np.ndarray:
        """Return a block of a plan's result with a margin around it, as far as the picture goes.

        The margin is what the steps after it look at. While margins stay small a block is worked on its own, from
        the base up: its neighbours need not be there, so a view costs its own blocks only. Where margins would
        add up to much, the tile is put together from blocks instead. The rule depends on the plan alone, so
        screen and export take the same way.
        """
        check()
        region = _widened(_block_region(*number, plan.size), margin, plan.size)
        if not plan.stages:
            return plan.base.read(region, plan.level)
        stage = plan.stages[-1]
        key = (stage.key, plan.level, *number, margin)
        return self._once(key, lambda: self._mixed_part(plan, stage, number, margin, check), check)

    def _mixed_part(self, plan: Plan, stage: Stage, number: tuple[int, int], margin: int, check: Check) -> np.ndarray:
        region = _widened(_block_region(*number, plan.size), margin, plan.size)
        before, support = plan.before(stage), _support(stage)

        def read(wide: Region) -> np.ndarray:
            if margin + support > _CARRIED:
                return self.render(before, wide, check=check)
            return self._part(before, number, margin + support, check)

        def raw() -> np.ndarray:
            return self._run(plan, stage, region, read, check)

        if stage.key == stage.raw_key:
            return raw()
        wide = _seen(region, stage, plan.size)
        below = _cut(read(wide), wide, region)
        return _mixed(
            plan, stage, region, below, lambda: self._once((stage.raw_key, plan.level, *number, margin), raw, check)
        )

    def sketch(self, plan: Plan, region: Region, *, check: Check = _nothing) -> np.ndarray:
        """Return the pixels of just a region, which no block of the grid needs to fit: for drafts.

        Results before Mix and Where are kept like those of blocks, so that a mask moves over a draft freely.
        """
        if not plan.stages:
            return plan.base.read(region, plan.level)
        check()
        stage = plan.stages[-1]
        read = partial(self.sketch, plan.before(stage), check=check)

        def raw() -> np.ndarray:
            run = partial(self._run, plan, stage, region, read, check)
            return self._once((stage.raw_key, plan.level, region), run, check)

        if stage.key == stage.raw_key:
            return raw()
        wide = _seen(region, stage, plan.size)
        return _mixed(plan, stage, region, _cut(read(wide), wide, region), raw)

    def _run(
        self, plan: Plan, stage: Stage, region: Region, read: Callable[[Region], np.ndarray], check: Check
    ) -> np.ndarray:
        """Run a stage's filter on a region: read the tile with its support, apply, cut the support off."""
        wide = _seen(region, stage, plan.size)
        tile = read(wide)
        tile.flags.writeable = False
        check()
        context = Context(stage.noise, plan.size, plan.level, check, plan.base.mosaic)
        result = stage.kind.apply(tile, wide, stage.params, stage.analysis, context)
        with self._lock:
            self.runs[stage.kind.kind] = self.runs.get(stage.kind.kind, 0) + 1
        return np.ascontiguousarray(_cut(result, wide, region), np.float32)

    def before(self, plan: Plan, stage: Stage) -> Plan:
        """Return the plan of the steps before one of a plan's, whether Base holds it or not."""
        if stage in plan.mended:
            return Plan(self.base, plan.mended[: plan.mended.index(stage)])
        return plan.before(stage)

    def remember(self, key: Any, make: Callable[[], Any], *, check: Check = _nothing) -> Any:
        """Return what was worked out under a key, or work it out and keep it beside the analyses."""
        return self._once(key, make, check, self._analyses)

    def recall(self, key: Any) -> Any:
        """Return what was worked out under a key, or None."""
        return self._analyses.get(key)

    def _once(self, key: Any, make: Callable[[], Any], check: Check, store: Cache | None = None) -> Any:
        """Return a value from a store (by default that of blocks), or make it; a second thread waits for the first."""
        store = self._blocks if store is None else store
        while True:
            found = store.get(key)
            if found is not None:
                return found
            with self._lock:
                busy = self._busy.get((id(store), key))
                if busy is None:
                    self._busy[id(store), key] = mine = threading.Event()
                    break
            while not busy.wait(0.02):
                check()
        try:
            value = make()
            if isinstance(value, np.ndarray):
                value.flags.writeable = False
            store.put(key, value, size_of(value))
            return value
        finally:
            with self._lock:
                del self._busy[id(store), key]
            mine.set()


def _mapped(shape: tuple[int, int, int]) -> np.ndarray:
    """Return an array in a nameless file, its room reserved: a full disk would else end the process at some write.

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


def _reduced_by_most(make: Callable[[Region], np.ndarray], region: Region, plan: Plan) -> np.ndarray:
    """Return a region of a picture of single pixels, made at full size, each cell the most of its pixels."""
    cell = 1 << plan.level
    x0, y0, x1, y1 = (v * cell for v in region)
    width, height = plan.base.size
    full = make((x0, y0, min(x1, width), min(y1, height)))
    if cell == 1:
        return full
    missing = (y1 - y0 - full.shape[0], x1 - x0 - full.shape[1])
    full = np.pad(full, ((0, missing[0]), (0, missing[1]), (0, 0)))
    return full.reshape(full.shape[0] // cell, cell, full.shape[1] // cell, cell, 3).max(axis=(1, 3))


def _support(stage: Stage) -> int:
    """Return how far a stage looks, rounded up so that sliding patches keep their places in the picture."""
    support = stage.kind.support(stage.params, stage.analysis)
    if not 0 <= support <= MAX_SUPPORT:
        raise ValueError(f"{stage.kind.kind} asks for {support} px of support; at most {MAX_SUPPORT} px are given")
    return -(-support // _ALIGN) * _ALIGN


def _widened(region: Region, margin: int, size: tuple[int, int]) -> Region:
    x0, y0, x1, y1 = region
    return max(x0 - margin, 0), max(y0 - margin, 0), min(x1 + margin, size[0]), min(y1 + margin, size[1])


def _seen(region: Region, stage: Stage, size: tuple[int, int]) -> Region:
    """Return what a stage reads for a region: its support around it, out to whole steps of the patch grid."""
    x0, y0, x1, y1 = _widened(region, _support(stage), size)
    right, below = -(-x1 // _ALIGN) * _ALIGN, -(-y1 // _ALIGN) * _ALIGN
    return x0 // _ALIGN * _ALIGN, y0 // _ALIGN * _ALIGN, min(right, size[0]), min(below, size[1])


def _cut(tile: np.ndarray, wide: Region, region: Region) -> np.ndarray:
    """Return the part of a tile of `wide` that covers a region inside it."""
    left, top = region[0] - wide[0], region[1] - wide[1]
    return tile[top : top + region[3] - region[1], left : left + region[2] - region[0]]


def _mixed(plan: Plan, stage: Stage, region: Region, below: np.ndarray, raw: Callable[[], np.ndarray]) -> np.ndarray:
    """Lay a stage's result over its input as its Mix and Where say; the result is not asked for where both are 0."""
    share = stage.step.mix * mask_of(stage.step.where, region, plan.size, level=plan.level)
    return lay_over(below, raw(), law=stage.step.blend, share=share) if np.any(share) else below


def _works(step: Step) -> bool:
    """Whether a step can change anything, as far as its own switches say."""
    return step.on and step.mix > 0


def blocks_of(size: tuple[int, int]) -> Iterator[Region]:
    """Yield the regions of all blocks of a picture, row by row."""
    for column, row in _block_numbers((0, 0, *size)):
        yield _block_region(column, row, size)


def _block_numbers(region: Region) -> Iterator[tuple[int, int]]:
    x0, y0, x1, y1 = region
    for row in range(y0 // BLOCK, -(-y1 // BLOCK)):
        for column in range(x0 // BLOCK, -(-x1 // BLOCK)):
            yield column, row


def _block_region(column: int, row: int, size: tuple[int, int]) -> Region:
    left, top = column * BLOCK, row * BLOCK
    return left, top, min(left + BLOCK, size[0]), min(top + BLOCK, size[1])
