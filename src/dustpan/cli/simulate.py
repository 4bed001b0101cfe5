"""`dustpan simulate`: write a demo scene as the made-up camera takes it."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from dustpan.batch.export import export_picture
from dustpan.cli.report import Size, say
from dustpan.core.document.history import Document
from dustpan.core.render.engine import Engine
from dustpan.files.save import format_for, save_raw
from dustpan.simulate.scenes import DEFAULT_ISO, SCENES, clean_picture, noisy_picture, raw_picture


@click.command()
@click.argument("scene", type=click.Choice(list(SCENES)))
@click.option("--out", required=True, type=click.Path(path_type=Path), help="A file, or a folder that is there.")
@click.option("--iso", default=DEFAULT_ISO, show_default=True, type=click.IntRange(100, 102400))
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0), help="The same seed, the same noise.")
@click.option("--size", type=Size(), help="Reduce to this size first.")
@click.option(
    "--seconds",
    default=1 / 30,
    show_default="1/30",
    type=click.FloatRange(1e-4, 900),
    help="Exposure; more hot pixels show.",
)
@click.option(
    "--temperature", default=22.0, show_default=True, type=click.FloatRange(-40, 80), help="Of the sensor, Celsius."
)
@click.option("--demosaic", default="fine", show_default=True, type=click.Choice(["fine", "fast"]))
@click.option(
    "--sharpening", default=0.0, show_default=True, type=click.FloatRange(0, 1), help="As the camera sharpens."
)
@click.option("--six", is_flag=True, help="For a DNG: a sensor with a 6 x 6 pattern.")
@click.option("--truth", is_flag=True, help="Write the clean picture instead.")
@click.option("--overwrite", is_flag=True, help="Replace a file of that name.")
def simulate(scene, out, iso, seed, size, six, truth, overwrite, **how):
    """Photograph a demo scene with the made-up camera. Example: dustpan simulate bench --out bench.png --iso 6400"""
    if out.is_dir():
        out = out / (f"{scene}-clean.png" if truth else f"{scene}-iso{iso}.png")
    if out.suffix.lower() == ".dng":
        source = raw_picture(scene, iso=iso, seed=seed, size=size, six=six, **how)
        save_raw(out, source, overwrite=overwrite)
        say(f"{out}: {source.width} x {source.height} px, raw")
        return
    fmt = format_for(out, np.dtype(np.uint16 if truth else np.uint8))
    if truth:
        source = clean_picture(scene, size=size, dtype=np.uint16)
    else:
        depth = np.uint16 if fmt.dtype != np.uint8 else np.uint8
        source = noisy_picture(scene, iso=iso, seed=seed, size=size, dtype=depth, **how)
    engine = Engine(source)
    export_picture(engine, engine.plan(Document()), out, fmt, overwrite=overwrite)
    say(f"{out}: {source.width} x {source.height} px")
