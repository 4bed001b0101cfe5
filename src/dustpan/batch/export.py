"""Render a whole picture and write it, whole or not at all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

import cv2
import numpy as np

from dustpan.core.picture.region import Size
from dustpan.core.render.engine import Engine
from dustpan.core.render.finishing import NO_FINISH, Finish
from dustpan.core.render.output import Progress, no_progress, render_mosaic, render_native
from dustpan.core.render.plan import Plan
from dustpan.core.render.resizing import fit_within, reduce_output
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.files.save import DEFAULT_QUALITY, Format, check_format, save_picture, save_raw


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
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=progress)
    token.check()
    wanted = fit_within((source.width, source.height), finish.size)
    pixels = reduce_output(
        pixels,
        wanted,
        linear=fmt.is_linear_for(source),
        alpha=source.alpha is not None and fmt.alpha,
        premultiplied=(fmt.alpha_kind or source.alpha_kind) == "premultiplied",
        viewing=finish.viewing,
    )
    return save_picture(
        target,
        pixels,
        source.metadata,
        fmt,
        quality=quality,
        overwrite=overwrite,
        sources=sources,
        layers=_reduced(source.layers, wanted),
        alpha_kind=source.alpha_kind,
        check=token.check,
    )


def _reduced(layers: Mapping[str, np.ndarray], size: Size) -> Mapping[str, np.ndarray]:
    """Return other planes of a picture at another size, in their own types."""
    return {
        name: plane
        if (plane.shape[1], plane.shape[0]) == size
        else cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_AREA).astype(plane.dtype)
        for name, plane in layers.items()
    }
