"""Render a whole picture and write it, whole or not at all."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from dustpan.core.render.engine import Engine
from dustpan.core.render.output import Progress, no_progress, render_mosaic, render_native
from dustpan.core.render.plan import Plan
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
    overwrite: bool = False,
    sources: Iterable[Path] = (),
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Progress = no_progress,
) -> None:
    """Render a plan in a format's depth and save it with all that belongs to its source.

    Parameters
    ----------
    quality : 1 to 100, for formats that have one.
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
        return
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=progress)
    token.check()
    save_picture(
        target,
        pixels,
        source.metadata,
        fmt,
        quality=quality,
        overwrite=overwrite,
        sources=sources,
        layers=source.layers,
        alpha_kind=source.alpha_kind,
        check=token.check,
    )
