"""`dustpan combine`: lay frames of one subject over one another and make one picture of them."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np
from rich.progress import Progress

from dustpan.batch.combined import figures_of, save_maps, save_result
from dustpan.batch.series import Result, Series
from dustpan.batch.stack import combine_series
from dustpan.cli.inputs import pictures_of, shown
from dustpan.cli.report import Place, console, print_json, quiet_output, say
from dustpan.core.errors import DustpanError
from dustpan.core.frames.combining import METHODS, Method
from dustpan.core.frames.registration import ALIGNMENTS
from dustpan.core.kernels.warm import is_warm, warm
from dustpan.core.work.cancel import Token
from dustpan.files.atomic import check_name
from dustpan.files.save import FORMATS, format_for

_FILE = click.Path(path_type=Path)


def _files(name: str, help: str):
    return click.option(f"--{name}", multiple=True, type=_FILE, help=help)


@click.command()
@click.argument("frames", metavar="FRAME …", nargs=-1, required=True, type=_FILE)
@click.option("--out", required=True, type=_FILE, help="The combined picture.")
@click.option(
    "--align",
    default="rotate",
    show_default=True,
    type=click.Choice(ALIGNMENTS),
    help="How frames may lie over the first one: by stars, in daylight by what they show.",
)
@click.option("--method", default="sigma_clip", show_default=True, type=click.Choice(METHODS))
@click.option("--low", default=25.0, show_default=True, type=click.FloatRange(0, 50), help="For percentile: rank, %.")
@click.option(
    "--high", default=75.0, show_default=True, type=click.FloatRange(50, 100), help="For percentile: rank, %."
)
@click.option(
    "--kappa",
    default=2.5,
    show_default=True,
    type=click.FloatRange(0.5, 10),
    help="For sigma_clip and winsorised: deviations beyond which a value is left out.",
)
@_files("dark", "A frame of the same exposure with the cap on; may be given several times.")
@_files("flat", "A frame of an even surface; may be given several times.")
@_files("bias", "A frame of the shortest exposure with the cap on; may be given several times.")
@click.option(
    "--bad",
    default="skip",
    show_default=True,
    type=click.Choice(["skip", "stop"]),
    help="What a frame that can't be used does: it is left out, or ends it all.",
)
@click.option("--save-aligned", type=_FILE, help="A folder for the frames as they lie over one another.")
@click.option(
    "--follow",
    type=Place(),
    help="What moves against the rest, such as a comet: its places in the first and in the last frame as they lie over"
    " one another.",
)
@click.option("--channels-apart", is_flag=True, help="Register red and blue apart: air and lens shift them.")
@click.option("--maps", type=_FILE, help="A folder for maps: what was left out, how many frames reach a pixel.")
@click.option("--memory", default=1000, show_default=True, type=click.IntRange(50), help="MB for the combination.")
@click.option(
    "--format", "format_name", type=click.Choice(list(FORMATS)), help="How to write; by default as --out says."
)
@click.option("--overwrite", is_flag=True, help="Replace a file of that name; never a source.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def combine(frames, out, method, low, high, kappa, bad, memory, save_aligned, follow, channels_apart, **rest):
    """Combine frames. Example: dustpan combine night/*.fits --out night.tif --dark dark1.fits --flat flat1.fits"""
    given = {name: rest.pop(name) for name in ("align", "dark", "flat", "bias")}
    with pictures_of(frames) as found:
        series = Series(
            tuple(found),
            method=Method(method, kappa, low / 100, high / 100),
            stop_at_bad=bad == "stop",
            memory=memory << 20,
            aligned=save_aligned,
            overwrite=rest["overwrite"],
            follow=follow,
            apart=channels_apart,
            **given,
        )
        figures = _work(series, out, **rest)
    click.get_current_context().exit(1 if figures is None or figures["failed"] else 0)


def _work(
    series: Series, out: Path, *, format_name: str | None, overwrite: bool, as_json: bool, maps: Path | None
) -> dict | None:
    """Combine, save and report; return the figures, or None where it failed as a whole."""
    fmt = FORMATS[format_name] if format_name else format_for(out, np.dtype(np.uint16))
    if format_name and out.suffix.lower() not in fmt.suffixes:
        raise click.UsageError(f"--format {format_name} and the name {out.name} contradict each other.")
    if fmt.raw:
        raise click.UsageError("a combined picture is no mosaic any more: choose another format than DNG.")
    with quiet_output():
        try:
            check_name(out, overwrite=overwrite, sources=series.inputs)
            if series.aligned is not None:
                series.aligned.mkdir(parents=True, exist_ok=True)
            result = _combined(series)
            save_result(result, out, series, fmt=FORMATS[format_name] if format_name else None, overwrite=overwrite)
            drawn = _write_maps(result, maps, out, series)
            figures: dict | None = {"out": str(out), **figures_of(result), "maps": drawn}
        except (DustpanError, OSError) as fault:
            say(f"dustpan: {shown(fault)}")
            figures, failure = None, str(fault)
    if figures is None:
        if as_json:
            print_json({"out": None, "error": shown(failure), "used": [], "failed": []})
        return None
    _tell(figures, len(series.frames))
    if as_json:
        print_json(figures)
    return figures


def _write_maps(result: Result, maps: Path | None, out: Path, series: Series) -> list[str]:
    if maps is None:
        return []
    maps.mkdir(parents=True, exist_ok=True)
    return [str(file) for file in save_maps(result, maps, out.stem, series)]


def _combined(series: Series) -> Result:
    if not is_warm():
        say("Preparing the numerics for this machine (once) …")
        warm()
    with Progress(console=console, transient=True, disable=not console.is_terminal) as progress:
        bar = progress.add_task("", total=1.0)
        return combine_series(
            series, token=Token(), progress=lambda done, what: progress.update(bar, completed=done, description=what)
        )


def _tell(figures: dict, count: int) -> None:
    for failed in figures["failed"]:
        say(f"dustpan: {shown(failed['error'])}")
    gain, rejected = figures["noise"]["gain"], 100 * figures["rejected"]
    say(
        f"{figures['out']}: {len(figures['used'])} of {count} frames, noise {gain:.1f} times lower than in one of them,"
        f" {rejected:.2f} % of the values left out"
    )
