"""`dustpan demo`: the window with sample data."""

from __future__ import annotations

from pathlib import Path

import click

from dustpan.simulate.scenes import SCENES
from dustpan.simulate.series import SERIES


@click.command()
@click.argument("scene", default="bench", type=click.Choice([*SCENES, *SERIES]))
@click.option("--into", type=click.Path(path_type=Path), help="Do the main job once, write its results here and end.")
@click.pass_context
def demo(ctx, scene, into):
    """Open the window with sample data. Example: dustpan demo bench"""
    ctx.exit(ctx.obj([], scene=scene, into=into))
