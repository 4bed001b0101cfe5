"""`dustpan measure`: a picture's figures."""

from __future__ import annotations

from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

from dustpan.cli.report import print_json
from dustpan.core.engine import Engine
from dustpan.core.measure.figures import measure_picture
from dustpan.files import read_picture


@click.command()
@click.argument("picture", metavar="IN", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def measure(picture, as_json):
    """Measure a picture's noise. Example: dustpan measure night.jpg --json"""
    source = read_picture(picture)
    figures = measure_picture(Engine(source).base)
    if as_json:
        print_json(figures)
        return
    table = Table(title=str(picture), title_justify="left")
    table.add_column("figure")
    table.add_column("value", justify="right")
    table.add_row("size", f"{figures['width']} x {figures['height']} px")
    table.add_row("luminance noise", f"{figures['noise']['sigma_luminance']:.2f} levels")
    table.add_row("colour noise", f"{figures['noise']['sigma_colour']:.2f} levels")
    for tone, sigma in figures["noise"]["curve"][::4]:
        table.add_row(f"  at tone {tone:.2f}", f"{sigma:.2f} levels")
    table.add_row("lost at black", f"{figures['clipped']['black']:.2%}")
    table.add_row("lost at white", f"{figures['clipped']['white']:.2%}")
    Console().print(table)
