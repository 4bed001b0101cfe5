"""`dustpan learn`: keep a camera's hot pixels, as dark frames show them."""

from __future__ import annotations

from pathlib import Path

import click

from dustpan.cli.report import print_json, quiet_output
from dustpan.files import read_picture
from dustpan.files.profiles import learn_hot_pixels


@click.command()
@click.argument("frames", metavar="DARK …", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def learn(frames, as_json):
    """Learn a camera's hot pixels from dark frames of one ISO and exposure. Example: dustpan learn dark*.dng"""
    with quiet_output():
        learned = learn_hot_pixels([read_picture(path) for path in frames])
    if as_json:
        print_json(learned)
    else:
        click.echo(f"{learned['found']} hot pixels of {learned['camera']} kept in {learned['file']}")
