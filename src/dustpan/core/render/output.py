"""Render a whole picture in the depth that a file holds; native values where no step has changed them."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np

from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.region import Region
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working, to_working
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import BLOCK, block_regions, side_for_all
from dustpan.core.render.plan import Plan
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps.step_kind import MAX_SUPPORT
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.core.work.sharing import run_shared

#: Called with the share of the work that is done, 0 to 1.
Progress = Callable[[float], None]


def no_progress(share: float) -> None:
    """Stand in for a progress report."""


@dataclass(frozen=True)
class Output:
    """What a file format holds.

    Attributes
    ----------
    name : of the format, as `Metadata.native` names it.
    dtype : uint8, uint16 or float32.
    alpha : whether it holds an alpha channel.
    linear : whether it holds linear light; None like a 32-bit float TIFF, which does unless it has a profile.
    alpha_kind : the kind of alpha that it holds, or empty where the file itself says which.
    layers : whether it holds other planes.
    any_depth : whether a picture of the same format keeps its own type.
    """

    name: str
    dtype: type
    alpha: bool = True
    linear: bool | None = False
    alpha_kind: str = "straight"
    layers: bool = False
    any_depth: bool = False

    def fitted(self, source: Source) -> Output:
        """Return the output in the depth that suits a source."""
        same = self.any_depth and _is_own_format(self, source)
        return replace(self, dtype=source.pixels.dtype.type) if same else self

    def is_linear_for(self, source: Source) -> bool:
        """Return whether linear light is written for a source."""
        if self.linear is not None:
            return self.linear
        return source.linear or not source.metadata.profile


def render_native(
    engine: Engine,
    plan: Plan,
    output: Output,
    *,
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Progress = no_progress,
) -> np.ndarray:
    """Return the whole picture as a format holds it, H x W x 1 to 4.

    Where no step works and the format can hold them, these are the source's own values.
    """
    source = engine.source
    output = output.fitted(source)
    linear = output.is_linear_for(source)
    untouched = not plan.all_active
    same_alpha = source.alpha is None or not output.alpha or output.alpha_kind in ("", _kind_of_alpha(source))
    if untouched and source.exact is not None and _is_own_format(output, source) and source.alpha is None:
        return source.exact
    if untouched and source.pixels.dtype == output.dtype and linear == source.linear and same_alpha:
        colour = _restore_non_finite(source.pixels, source)
    else:
        change = None if same_alpha else output.alpha_kind
        colour = _Conversion(engine, plan, output, linear, change).run(pool, token or Token(), progress)
        same_values = change is None and colour.dtype == source.pixels.dtype and linear == source.linear
        if source.hidden is not None and same_values:
            colour[source.hidden] = source.pixels[source.hidden]  # as they were: nobody sees them
        if output.dtype == np.float32 and source.non_finite is not None and linear == source.linear:
            colour = _restore_non_finite(colour, source)
    return _append_alpha(colour, source.alpha, output)


def render_mosaic(
    engine: Engine,
    plan: Plan,
    *,
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Progress = no_progress,
) -> np.ndarray:
    """Return a sensor's mosaic in the file's own numbers, H x W, mended by the steps of a plan before development.

    A site that no step has changed keeps its number.
    """
    source, token = engine.source, token or Token()
    assert source.mosaic is not None
    mosaic = source.mosaic
    before = engine.plan_mosaic(plan.before_development, check=token.check)
    numbers = source.pixels[..., 0].copy()
    regions = block_regions(before.size)
    done: list[Region] = []

    def fill(region: Region) -> None:
        x0, y0, x1, y1 = region
        light = engine.render(before, region, check=token.check)
        changed = light != before.base.read(region)
        numbers[y0:y1, x0:x1][changed[..., 0]] = mosaic.numbers(light, region)[changed]
        done.append(region)
        progress(len(done) / len(regions))

    run_shared(fill, regions if before.active else [], pool, priority=Priority.EXPORT)
    return numbers


def _is_own_format(output: Output, source: Source) -> bool:
    return source.metadata.native is not None and source.metadata.native[0] == output.name


def _kind_of_alpha(source: Source) -> str:
    """Return what kind of alpha a picture is taken to have: unspecified is straight."""
    return "premultiplied" if source.alpha_kind == "premultiplied" else "straight"


def _restore_non_finite(colour: np.ndarray, source: Source) -> np.ndarray:
    """Return pixels with the source's infinite and NaN values put back where no step has changed the pixel."""
    if source.non_finite is None or colour.shape != source.pixels.shape:
        return colour
    index, values = source.non_finite
    same = np.isclose(colour.ravel()[index], source.pixels.ravel()[index], rtol=1e-5, atol=1e-6)
    whole = np.array(colour)
    whole.ravel()[index[same]] = values[same]
    return whole


@dataclass(frozen=True)
class _Conversion:
    """Blocks of a plan rendered and converted into one array.

    Attributes
    ----------
    linear : whether linear light is wanted.
    alpha_kind : the kind of alpha to convert colours for, or None where it stays as it is.
    """

    engine: Engine
    plan: Plan
    output: Output
    linear: bool
    alpha_kind: str | None

    @cached_property
    def _renderer(self) -> Renderer:
        """One with large blocks, unless a step counts on what lies beyond its support being less than rounding."""
        exact = all(prepared.kind.max_support <= MAX_SUPPORT for prepared in self.plan.all_prepared)
        return self.engine.in_blocks_of(side_for_all(self.plan.size) if exact else BLOCK)

    def run(self, pool: Pool | None, token: Token, progress: Progress) -> np.ndarray:
        """Return the whole picture without alpha; a fault or a cancel ends all of its jobs."""
        source = self.engine.source
        whole: np.ndarray
        whole = np.empty((source.height, source.width, 1 if source.grey else 3), self.output.dtype)
        regions = block_regions(self.plan.size, self._renderer.side)
        jobs: list[Future] = []
        if pool is not None:
            jobs = [
                pool.submit(partial(self._fill, whole, region, token), priority=Priority.EXPORT, token=token)
                for region in regions
            ]
        try:
            for number, region in enumerate(regions):
                if jobs:
                    jobs[number].result()
                else:
                    token.check()
                    self._fill(whole, region, token)
                progress((number + 1) / len(regions))
        except BaseException:
            token.cancel()
            raise
        return whole

    def _fill(self, whole: np.ndarray, region: Region, token: Token) -> None:
        x0, y0, x1, y1 = region
        working = self._renderer.render(self.plan, region, check=token.check)
        if self.alpha_kind is not None:
            working = _convert_alpha(working, self.engine.source, region, self.alpha_kind)
        if whole.shape[2] == 1:
            working = working.mean(axis=2, keepdims=True)
        whole[y0:y1, x0:x1] = from_working(working, dtype=self.output.dtype, linear=self.linear)


def _convert_alpha(working: np.ndarray, source: Source, region: Region, kind: str) -> np.ndarray:
    """Return working pixels multiplied by alpha, or divided by it, in the values that the file multiplies."""
    x0, y0, x1, y1 = region
    assert source.alpha is not None
    alpha = to_working(source.alpha[y0:y1, x0:x1, None])[..., :1]
    values = decode_curve(working) if source.linear else working
    if kind == "premultiplied":
        values = values * alpha
    else:
        values = np.where(alpha > 0, values / np.maximum(alpha, np.float32(1e-6)), 0).astype(np.float32)
    return encode_curve(values) if source.linear else values


def _append_alpha(colour: np.ndarray, alpha: np.ndarray | None, output: Output) -> np.ndarray:
    if alpha is None or not output.alpha:
        return colour
    plane = alpha[..., None]
    if alpha.dtype != output.dtype:  # alpha is no light, so no curve applies
        plane = from_working(to_working(plane)[..., :1], dtype=output.dtype)
    return np.concatenate([colour, plane], axis=2)
