"""`dustpan process`: clean pictures without a window."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import click
from rich.progress import Progress, TaskID

from dustpan.cli.report import console, print_json, say
from dustpan.core.engine import Engine
from dustpan.core.errors import Cancelled, DustpanError, RemedyError, SaveError
from dustpan.core.filters.warm import is_warm, warm
from dustpan.core.picture import Source
from dustpan.core.pool import Pool, Token
from dustpan.core.propose import propose_route
from dustpan.core.remedy import Remedy, read_remedy
from dustpan.core.route import Document, Route
from dustpan.core.steps import kinds
from dustpan.files import read_picture
from dustpan.files.save import DEFAULT_QUALITY, FORMATS, Format, format_for, render_native, save_picture

_BUDGET = 512 << 20


@dataclass(frozen=True)
class Order:
    """What was asked for, the same for every input."""

    remedy: Remedy | None
    format: str | None
    quality: int
    overwrite: bool
    sources: tuple[Path, ...]


@dataclass
class Tally:
    """What was done and what failed, in the order of the inputs."""

    outputs: list[dict] = field(default_factory=list)
    failed: list[dict] = field(default_factory=list)


@click.command()
@click.argument("pictures", metavar="IN …", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", "out_", required=True, help="A file, or a folder (there already, or ending in /) for several.")
@click.option("--remedy", type=click.Path(path_type=Path), help="The route to use.")
@click.option("--auto", is_flag=True, help="Propose a route for each picture from its measurement.")
@click.option(
    "--format",
    "format_",
    type=click.Choice(list(FORMATS)),
    help="How to write; by default as the name or the source says.",
)
@click.option(
    "--quality", default=DEFAULT_QUALITY, show_default=True, type=click.IntRange(1, 100), help="For JPEG and WebP."
)
@click.option("--jobs", type=click.IntRange(1, 256), help="Threads altogether; by default all cores.")
@click.option("--overwrite", is_flag=True, help="Replace files of the same name; never a source.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def process(pictures, out_, remedy, auto, format_, quality, jobs, overwrite, as_json):
    """Clean pictures. Example: dustpan process a.jpg b.jpg --out cleaned/ --auto"""
    if (remedy is None) == (not auto):
        raise click.UsageError("give either --remedy FILE or --auto.")
    out = Path(out_)
    into_folder = len(pictures) > 1 or out.is_dir() or out_.endswith(os.sep)
    if not into_folder:
        _check_name(out, format_)
    order = Order(_read_remedy(remedy) if remedy else None, format_, quality, overwrite, tuple(pictures))
    if into_folder:
        _make_folder(out)
    targets = _targets(pictures, out, format_) if into_folder else {pictures[0]: out}
    if not is_warm():
        say("Preparing the numerics for this machine (once) …")
        warm()
    tally = _run(order, list(dict.fromkeys(pictures)), targets, jobs or os.cpu_count() or 1)
    for failure in tally.failed:
        say(f"dustpan: {failure['error']}")
    if as_json:
        print_json({"outputs": tally.outputs, "failed": tally.failed})
    click.get_current_context().exit(1 if tally.failed else 0)


def _check_name(out: Path, format_: str | None) -> None:
    if format_ and out.suffix.lower() not in FORMATS[format_].suffixes:
        raise click.UsageError(f"--format {format_} and the name {out.name} contradict each other.")
    if not format_ and not any(out.suffix.lower() in f.suffixes for f in FORMATS.values()):
        raise click.UsageError(f"--out {out.name}: no format is known by the ending '{out.suffix}'.")


def _read_remedy(path: Path) -> Remedy:
    try:
        return read_remedy(path.read_text("utf-8"), where=str(path))
    except (OSError, UnicodeDecodeError) as fault:
        raise RemedyError(str(path), [f"can't be read ({fault})"]) from fault


def _make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise SaveError(f"{out}: the folder can't be made ({fault.strerror}).") from fault


def _targets(pictures, folder: Path, format_: str | None) -> dict[Path, Path]:
    """Give each input its file in the folder; an ending that can't be written becomes PNG."""
    writable = {suffix for f in FORMATS.values() for suffix in f.suffixes}
    targets = {}
    for picture in pictures:
        own = picture.suffix.lower() if picture.suffix.lower() in writable else ".png"
        targets[picture] = folder / (picture.stem + (FORMATS[format_].suffixes[0] if format_ else own))
    return targets


def _run(order: Order, pictures: list[Path], targets: dict[Path, Path], jobs: int) -> Tally:
    """Work all inputs: several at once on a thread each, or one with its blocks spread over all threads."""
    tally = Tally()
    token = Token()
    taken: dict[Path, Path] = {}
    for picture in pictures:
        taken.setdefault(targets[picture], picture)  # the first in the call keeps the name, whichever thread is quicker
    with Progress(console=console, transient=True, disable=not console.is_terminal) as progress:
        bar = progress.add_task("Cleaning", total=len(pictures))

        def work(picture: Path, pool: Pool | None, report: Callable[[float], None]):
            target = targets[picture]
            first = taken[target]
            try:
                if first != picture:
                    raise SaveError(f"{picture}: its result would have the same name as that of {first} ({target}).")
                return _one(picture, target, order, pool, token, report), None
            except Cancelled:
                raise
            except DustpanError as fault:
                return None, {"source": str(picture), "error": str(fault)}

        spread = len(pictures) < jobs
        pool = Pool(jobs) if spread else None
        outer = ThreadPoolExecutor(1 if spread else jobs)
        try:
            # One after the other, a picture's own share moves the bar; side by side, each picture as a whole.
            tasks = [
                outer.submit(work, p, pool, partial(_move, progress, bar, n if spread else None))
                for n, p in enumerate(pictures)
            ]
            for number, task in enumerate(tasks, start=1):
                done, failure = task.result()
                (tally.failed if failure else tally.outputs).append(failure or done)
                progress.update(bar, completed=number)
        except BaseException:
            token.cancel()
            raise
        finally:
            outer.shutdown(cancel_futures=True)
            if pool:
                pool.close()
    return tally


def _left_out(route: Route, source: Source) -> list[str]:
    """Return what is to be said about steps that don't apply to a picture."""
    if source.mosaic is not None:
        return []
    return [
        f"{kinds()[s.kind].label} was left out: this is no raw picture." for s in route if kinds()[s.kind].only_mosaic
    ]


def _move(progress: Progress, bar: TaskID, done: int | None, share: float) -> None:
    """Move the bar within a picture, when pictures are worked one after the other."""
    if done is not None:
        progress.update(bar, completed=done + share)


def _one(picture: Path, target: Path, order: Order, pool, token: Token, report) -> dict:
    begun = time.perf_counter()
    source = read_picture(picture)
    fmt: Format = FORMATS[order.format] if order.format else format_for(target, source.pixels.dtype)
    engine = Engine(source, budget=_BUDGET, noise=order.remedy.fixed_noise if order.remedy else None, pool=pool)
    route = order.remedy.route if order.remedy else propose_route(engine, check=token.check)
    plan = engine.plan(Document(route), check=token.check)
    pixels = render_native(engine, plan, fmt, pool=pool, token=token, progress=report)
    save_picture(
        target, pixels, source.metadata, fmt, quality=order.quality, overwrite=order.overwrite, sources=order.sources,
        layers=source.layers,
    )  # fmt: skip
    return {
        "source": str(picture), "out": str(target), "format": fmt.name, "width": source.width, "height": source.height,
        "steps": [stage.step.kind for stage in plan.working],
        "messages": [*source.messages, *_left_out(route, source)],
        "seconds": round(time.perf_counter() - begun, 3),
    }  # fmt: skip
