"""Render a whole picture and write it, whole or not at all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from dustpan.core.document.route import Route
from dustpan.core.picture.region import Size
from dustpan.core.render.engine import Engine
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.core.render.output import Progress, no_progress, render_mosaic, render_native
from dustpan.core.render.plan import Plan
from dustpan.core.render.resizing import fit_within, reduce_output
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.files.save import DEFAULT_QUALITY, FORMATS, Format, check_format, save_picture, save_raw


@dataclass(frozen=True)
class Also:
    """Another file of the same picture, beside its main output.

    Attributes
    ----------
    format : name of its format.
    size : width and height that it is reduced to fit within; the picture's own by default.
    """

    format: str
    size: Size | None = None

    def beside(self, target: Path) -> Path:
        """Return its file beside the main output, whose stem it shares; a size stands behind it."""
        size = "-{}x{}".format(*self.size) if self.size else ""
        return target.with_name(f"{target.stem}{size}{FORMATS[self.format].suffixes[0]}")


def export_picture(
    engine: Engine,
    plan: Plan,
    target: Path,
    fmt: Format,
    *,
    quality: int = DEFAULT_QUALITY,
    finish: Finish = NO_FINISH,
    overwrite: bool = False,
    sources: Iterable[Path] = (),
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Progress = no_progress,
    with_original: bool = False,
) -> tuple[str, ...]:
    """Render a plan in a format's depth and save it with all that belongs to its source.

    Returns a sentence for each note of the source that could not be written.

    Parameters
    ----------
    quality : 1 to 100, for formats that have one.
    finish : size and last sharpening of the output; a mosaic is left as it is.
    overwrite : replace a file of that name.
    sources : files that are never written to.
    pool : threads that render blocks.
    token : cancels the work; nothing is left half-written.
    with_original : add the picture as it came as a second page, where the format has pages.

    Raises
    ------
    SaveError
        Names the file.
    Cancelled
    """
    token = token or Token()
    source = engine.source
    check_format(target, source, fmt)
    if fmt.raw:
        mosaic = render_mosaic(engine, plan, pool=pool, token=token, progress=progress)
        save_raw(target, source, mosaic, overwrite=overwrite, sources=sources, check=token.check)
        return ()
    pixels = _finished(engine, plan, fmt, finish, pool=pool, token=token, progress=progress)
    original = None
    if with_original and fmt.pages:
        route = Route(tuple(prepared.step for prepared in plan.all_prepared)).original(mosaic=source.mosaic is not None)
        plain = engine.plan(plan.with_other(route), check=token.check)
        original = _finished(engine, plain, fmt, Finish(finish.size), pool=pool, token=token, progress=no_progress)
    return save_picture(
        target,
        pixels,
        source.metadata,
        fmt,
        quality=quality,
        overwrite=overwrite,
        sources=sources,
        layers=_reduced(source.layers, fit_within((source.width, source.height), finish.size)),
        alpha_kind=source.alpha_kind,
        original=original,
        check=token.check,
    )


def _finished(
    engine: Engine, plan: Plan, fmt: Format, finish: Finish, *, pool: Pool | None, token: Token, progress: Progress
) -> np.ndarray:
    """Return a plan's pixels in a format's depth, at the output's size."""
    source = engine.source
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=progress)
    token.check()
    return reduce_output(
        pixels,
        fit_within((source.width, source.height), finish.size),
        linear=fmt.is_linear_for(source),
        alpha=source.alpha is not None and fmt.alpha,
        premultiplied=(fmt.alpha_kind or source.alpha_kind) == "premultiplied",
        viewing=finish.viewing,
        curve=source.curve,
    )


def _reduced(layers: Mapping[str, np.ndarray], size: Size) -> Mapping[str, np.ndarray]:
    """Return other planes of a picture at another size, in their own types."""
    return {
        name: plane
        if (plane.shape[1], plane.shape[0]) == size
        else cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_AREA).astype(plane.dtype)
        for name, plane in layers.items()
    }
