"""`dustpan process`: clean pictures without a window."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import click
from rich.progress import Progress

from dustpan.batch.cluster import ClusterError, run_on_cluster
from dustpan.batch.order import Order
from dustpan.batch.run import BatchProgress, Tally, run_batch
from dustpan.batch.sequence import sequence_order
from dustpan.batch.targets import WRITABLE, refusals, targets_in
from dustpan.cli.inputs import pictures_of, shown
from dustpan.cli.report import BARE, Another, Size, console, print_json, quiet_output, say
from dustpan.core.document.remedy import VISIBLE
from dustpan.core.document.viewing import USUAL
from dustpan.core.errors import RemedyError, SaveError
from dustpan.core.kernels.warm import is_warm, warm
from dustpan.core.work.cancel import Token
from dustpan.files import ENDINGS
from dustpan.files.remedies import load_remedy
from dustpan.files.save import DEFAULT_QUALITY, FORMATS


@click.command()
@click.argument("pictures", metavar="IN …", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", "out_name", required=True, help="A file, or a folder (ending in /, or there already).")
@click.option("--remedy", type=click.Path(path_type=Path), help="The route to use.")
@click.option("--auto", is_flag=True, help="Propose a route for each picture from its measurement.")
@click.option(
    "--visible",
    type=click.FloatRange(*VISIBLE),
    help="Noise that settings from a measurement may leave: 1 is just not seen at 100 %, 2 is twice as much; by default"
    " what the remedy was made with, else 1.",
)
@click.option("--lift", is_flag=True, help="With --auto: brighten pictures whose lights are dark.")
@BARE
@click.option(
    "--format",
    "format_name",
    type=click.Choice(list(FORMATS)),
    help="How to write; by default as the name or the source says.",
)
@click.option(
    "--quality", default=DEFAULT_QUALITY, show_default=True, type=click.IntRange(1, 100), help="For JPEG and WebP."
)
@click.option("--size", type=Size(), help="Reduce outputs in proportion so that they fit within this size.")
@click.option(
    "--viewing", type=click.Choice(list(USUAL)), help="Sharpen outputs, at their size, for how they will be looked at."
)
@click.option(
    "--also",
    type=Another(),
    multiple=True,
    help="Write another file of each picture beside its output: a format, perhaps with a size (jpeg@1600x1600).",
)
@click.option("--with-original", is_flag=True, help="Add the picture as it came as a second page, to TIFF.")
@click.option("--sequence", is_flag=True, help="Frames of one sequence: one route and one noise for all, no flicker.")
@click.option("--jobs", type=click.IntRange(1, 256), help="Threads altogether; by default all cores.")
@click.option("--cluster", metavar="ADDRESS", help="Work on a Dask scheduler's workers, such as tcp://host:8786.")
@click.option("--overwrite", is_flag=True, help="Replace files of the same name; never a source.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def process(
    pictures,
    out_name,
    remedy,
    auto,
    visible,
    lift,
    bare,
    format_name,
    quality,
    size,
    viewing,
    also,
    with_original,
    sequence,
    jobs,
    cluster,
    overwrite,
    as_json,
):
    """Clean pictures. Example: dustpan process a.jpg b.jpg --out cleaned/ --auto"""
    if (remedy is None) == (not auto):
        raise click.UsageError("give either --remedy FILE or --auto.")
    if lift and not auto:
        raise click.UsageError("--lift goes with --auto; a remedy says itself how much light it adds.")
    with pictures_of(pictures) as files:
        out, into_folder = Path(out_name), _is_folder(files, pictures, out_name, format_name)
        tally = Tally()
        with quiet_output():  # one JSON object on standard output, whatever a library prints there
            try:
                given = load_remedy(remedy) if remedy else None
                if into_folder:
                    _make_folder(out)
            except (RemedyError, SaveError) as fault:
                tally.fail(remedy if isinstance(fault, RemedyError) else out, str(fault))
                say(f"dustpan: {fault}")
            else:
                looked_at = USUAL[viewing] if viewing else None
                order = Order(
                    given, format_name, quality, overwrite, tuple(files), visible, size, looked_at, lift, bare
                )
                order = replace(order, also=also, with_original=with_original)
                order = sequence_order(order, files, Token()) if sequence else order
                targets = targets_in(files, out, format_name) if into_folder else {files[0]: out}
                tally = _run(targets, order, jobs or os.cpu_count() or 1, cluster)
        if as_json:
            outputs = [entry | {"source": shown(entry["source"])} for entry in tally.outputs]
            failed = [{key: shown(text) for key, text in entry.items()} for entry in tally.failed]
            print_json({"outputs": outputs, "failed": failed})
    click.get_current_context().exit(130 if tally.interrupted else 1 if tally.failed else 0)


def _is_folder(files: list[Path], named: Sequence[Path], out_name: str, format_name: str | None) -> bool:
    """Return whether --out is a folder; raises UsageError where it can't be what was asked for."""
    out = Path(out_name)
    if out.is_dir() or out_name.endswith(os.sep):
        return True
    ending = out.suffix.lower()
    if len(files) > 1 or any(name.is_dir() for name in named):
        if ending in WRITABLE or out.exists():
            raise click.UsageError(f"--out {out.name} is a file's name; several pictures need a folder (end it in /).")
        return True
    if ending not in ENDINGS and ending not in WRITABLE:
        if out.exists():
            raise click.UsageError(f"--out {out.name}: no format is known by the ending '{out.suffix}'.")
        return True
    if ending not in WRITABLE:
        raise click.UsageError(f"--out {out.name}: '{out.suffix}' can be read, but not written.")
    if format_name and ending not in FORMATS[format_name].suffixes:
        raise click.UsageError(f"--format {format_name} and the name {out.name} contradict each other.")
    return False


def _make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise SaveError(f"{out}: the folder can't be made ({fault.strerror}).") from fault


def _run(targets: dict[Path, Path], order: Order, jobs: int, cluster: str | None) -> Tally:
    """Refuse what can be refused at once, then work the rest with a bar, here or on a cluster."""
    refused = refusals(targets, overwrite=order.overwrite, also=order.also)
    rest = {picture: target for picture, target in targets.items() if picture not in refused}
    if rest and not cluster and not is_warm():
        say("Preparing the numerics for this machine (once) …")
        warm()
    with Progress(console=console, transient=True, disable=not console.is_terminal) as progress:
        bar = progress.add_task("", total=len(rest))

        def move(done: float, picture: Path) -> None:
            progress.update(bar, completed=done, description=Path(shown(picture)).name)

        tally = _work(rest, order, jobs, cluster, move)
    for picture, error in refused.items():
        tally.fail(picture, error)
        say(f"dustpan: {shown(error)}")
    order_of = {str(picture): number for number, picture in enumerate(targets)}
    tally.failed.sort(key=lambda entry: order_of[entry["source"]])
    return tally


def _work(targets: dict[Path, Path], order: Order, jobs: int, cluster: str | None, progress: BatchProgress) -> Tally:
    if not cluster:
        return run_batch(targets, order, jobs=jobs, token=Token(), progress=progress, told=_tell)
    try:
        return run_on_cluster(targets, order, cluster, progress=progress, told=_tell)
    except ClusterError as fault:
        tally = Tally()
        say(f"dustpan: {fault}")
        for picture in targets:
            tally.fail(picture, str(fault))
        return tally


def _tell(picture: Path, output: dict | None, error: str) -> None:
    """Say in a line what was written or what failed, and in one each what could not be kept."""
    if output is None:
        say(f"dustpan: {shown(error)}")
        return
    size = f"{output['width']} x {output['height']} px, {output['seconds']:.1f} s"
    others = "".join(f", {name}" for name in output["also"])
    say(f"{shown(picture)}: wrote {output['out']} ({size}){others}")
    for message in output["messages"]:
        say(f"{shown(picture)}: {message}")
