"""`dustpan measure`: a picture's figures, alone or beside a reference."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

from dustpan.cli.inputs import pictures_of, shown
from dustpan.cli.report import BARE, print_json, quiet_output, say
from dustpan.core.errors import DustpanError
from dustpan.core.judge.measure import compare_pictures, measure_picture
from dustpan.core.noise.bare import areas_of
from dustpan.core.noise.model import DOUBTFUL
from dustpan.core.picture.region import Region
from dustpan.core.render.engine import Engine
from dustpan.core.work.pool import Pool
from dustpan.files import read_picture

_NOTICED = 0.5  # levels, from which a doubt is printed


@click.command()
@click.argument("pictures", metavar="IN …", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--reference", type=click.Path(path_type=Path), help="A clean or earlier picture of the same size.")
@BARE
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def measure(pictures, reference, bare, as_json):
    """Measure pictures: noise, faults, sharpness. Example: dustpan measure night.jpg --reference clean.png --json"""
    pool, measured, failed = Pool(), [], []
    with pictures_of(pictures) as files, quiet_output():
        for file in files:
            try:
                measured.append({"source": shown(file), **_measure(file, reference, bare, pool)})
            except DustpanError as fault:
                failed.append({"source": shown(file), "error": shown(fault)})
                say(f"dustpan: {shown(fault)}")
        pool.close()
    if not as_json:
        for figures in measured:
            Console().print(_table(figures["source"], figures))
    elif len(files) > 1:
        print_json({"pictures": measured, "failed": failed})
    elif measured:
        print_json(measured[0])
    click.get_current_context().exit(1 if failed else 0)


def _measure(picture: Path, reference: Path | None, bare: Sequence[Region], pool: Pool) -> dict:
    source = read_picture(picture)
    engine = Engine(source, pool=pool, bare=areas_of(bare, source))
    figures = measure_picture(engine)
    if reference is not None:
        figures |= compare_pictures(engine, Engine(read_picture(reference), pool=pool))
    return figures


def _table(title: str, figures: dict) -> Table:
    table = Table(title=title, title_justify="left")
    table.add_column("figure")
    table.add_column("value", justify="right")
    noise = figures["noise"]
    table.add_row("size", f"{figures['width']} x {figures['height']} px")
    for name, doubt in zip(("luminance", "colour"), noise["doubt"], strict=True):
        sigma = noise[f"sigma_{name}"]
        unsure = f", may be off by {doubt * sigma:.1f}" if doubt > DOUBTFUL and doubt * sigma >= _NOTICED else ""
        table.add_row(f"{name} noise", f"{sigma:.2f} levels{unsure}")
    red, green, blue = noise["sigma_channels"]
    table.add_row("  of red, green, blue", f"{red:.2f}, {green:.2f}, {blue:.2f} levels")
    for tone, sigma in noise["curve"][::4]:
        table.add_row(f"  at tone {tone:.2f}", f"{sigma:.2f} levels")
    table.add_row("hot pixels", str(figures["hot_pixels"]))
    grid = figures["blocks"]["grid"]
    table.add_row("8 x 8 blocks", f"strength {figures['blocks']['strength']:.2f}, corner {grid}" if grid else "none")
    for name in ("rows", "columns"):
        table.add_row(f"bands in {name}", f"{figures['banding'][name]:.2f} levels")
    table.add_row("sharpest edges", "no edge" if figures["sharpness"] is None else f"{figures['sharpness']:.1f} px")
    table.add_row("lost at black", f"{figures['clipped']['black']:.2%}")
    table.add_row("lost at white", f"{figures['clipped']['white']:.2%}")
    if "psnr" in figures:
        table.add_section()
        table.add_row("against the reference", f"{figures['psnr']:.2f} dB")
        table.add_row("structural similarity", f"{figures['ssim']:.4f}")
        for name, text in (("halo", "halo"), ("texture_kept", "texture kept")):
            table.add_row(text, "–" if figures[name] is None else f"{figures[name]:.0%}")
        table.add_row("brightness shift", f"{figures['brightness_shift']:+.2f} L*")
    table.add_section()
    for finding in figures["findings"]:
        table.add_row(finding["text"], f"step {finding['step']}" if finding["step"] else "")
    if not figures["findings"]:
        table.add_row("nothing found that needs mending", "")
    return table
