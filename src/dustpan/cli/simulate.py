"""`dustpan simulate`: write a demo scene as the made-up camera takes it, its truth, or the map of its defects."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from dustpan.batch.export import export_picture
from dustpan.cli.report import Size, say
from dustpan.core.document.history import Document
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.engine import Engine
from dustpan.files.atomic import save_whole
from dustpan.files.save import FORMATS, format_for, save_picture, save_raw
from dustpan.simulate.samples import SAMPLES, compressed_bytes, defect_map, sample_picture, truth_picture
from dustpan.simulate.scenes import SCENES, noisy_picture, raw_picture
from dustpan.simulate.series import SERIES, write_series

_RENDERED = "{} is a rendered picture: its noise is that of its samples, camera options and seed change nothing."
_NO_SAMPLES = "--samples is for a rendered picture; {} is none."


@click.command()
@click.argument("scene", type=click.Choice([*SCENES, *SERIES]))
@click.option("--out", required=True, type=click.Path(path_type=Path), help="A file, or a folder that is there.")
@click.option("--iso", type=click.IntRange(100, 102400), help="Instead of the scene's own.")
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0), help="The same seed, the same noise.")
@click.option("--size", type=Size(), help="Reduce to this size first.")
@click.option("--seconds", type=click.FloatRange(1e-4, 900), help="Exposure; more hot pixels show in a longer one.")
@click.option("--temperature", type=click.FloatRange(-40, 80), help="Of the sensor, Celsius.")
@click.option("--demosaic", type=click.Choice(["fine", "fast"]))
@click.option("--sharpening", type=click.FloatRange(0, 1), help="As the camera sharpens.")
@click.option("--lines", type=click.FloatRange(0, 4), help="Strength of the sensor's lines.")
@click.option("--fringe", type=click.FloatRange(0, 1), help="Strength of coloured rims.")
@click.option(
    "--samples",
    type=click.Choice([str(count) for count in SAMPLES]),
    help="Of a rendered picture: paths of light for each pixel; 16 if not said.",
)
@click.option("--six", is_flag=True, help="For a DNG: a sensor with a 6 x 6 pattern.")
@click.option("--truth", is_flag=True, help="Write the clean picture instead.")
@click.option(
    "--defects",
    is_flag=True,
    help="Write instead what is wrong with each pixel: 1 hot, 2 on a line, 4 fringe, 8 firefly, 16 compressed badly.",
)
@click.option("--overwrite", is_flag=True, help="Replace a file of that name.")
def simulate(scene, out, seed, size, samples, six, truth, defects, overwrite, **given):
    """Photograph a demo scene with the made-up camera. Example: dustpan simulate bench --out bench.png --iso 6400"""
    how = _settings(scene, given, seed, samples)
    if truth and defects:
        raise click.UsageError("--truth and --defects are two pictures; ask for one.")
    if scene in SERIES:
        files = write_series(scene, out, seed=seed, size=size, truth=truth, overwrite=overwrite)
        say(f"{out}: {len(files)} pictures")
        return
    if out.is_dir():
        out = out / _name(scene, how, truth=truth, defects=defects)
    if truth:
        _export(out, truth_picture(scene, size=size), overwrite)
    elif defects:
        marks = defect_map(scene, seed=seed, size=size, **how)[..., None]
        if format_for(out, marks.dtype).name != "png":
            raise click.UsageError("--defects writes a PNG of 8 bits.")
        save_picture(out, marks, Metadata(), FORMATS["png"], overwrite=overwrite)
        say(f"{out}: {marks.shape[1]} x {marks.shape[0]} px")
    elif out.suffix.lower() == ".dng":
        source = raw_picture(scene, seed=seed, size=size, six=six, **how)
        save_raw(out, source, overwrite=overwrite)
        say(f"{out}: {source.width} x {source.height} px, raw")
    elif SCENES[scene].suffix == ".jpg" and out.suffix.lower() in (".jpg", ".jpeg"):
        data = compressed_bytes(scene, seed=seed, size=size, **how)
        save_whole(out, lambda part: _write_bytes(part, data), overwrite=overwrite)
        say(f"{out}: a compressed picture")
    else:
        _export(out, _photograph(scene, out, seed=seed, size=size, **how), overwrite)


def _settings(scene: str, given: dict, seed: int, samples: str | None) -> dict:
    """Return the settings that count for a scene; raises UsageError for samples of one that is not rendered."""
    how = {name: value for name, value in given.items() if value is not None}
    if scene in SCENES and SCENES[scene].suffix == ".exr":
        if how or seed != 1:
            say(_RENDERED.format(scene))
        return {"samples": int(samples)} if samples else {}
    if samples:
        raise click.UsageError(_NO_SAMPLES.format(scene))
    return how


def _name(scene: str, how: dict, *, truth: bool, defects: bool) -> str:
    """Return a name for a file in a folder."""
    suffix = SCENES[scene].suffix
    if truth:
        return f"{scene}-clean{'.exr' if suffix == '.exr' else '.png'}"
    if defects:
        return f"{scene}-defects.png"
    if "samples" in how:
        return f"{scene}-{how['samples']}{suffix}"
    return f"{scene}-iso{how.get('iso', SCENES[scene].settings.iso)}.png" if suffix == ".png" else scene + suffix


def _photograph(scene: str, out: Path, **how) -> Source:
    """Return a scene for a file of that name: developed in the camera, whatever the scene is by nature."""
    if SCENES[scene].suffix in (".exr", ".jpg"):
        return sample_picture(scene, **how)
    native = format_for(out, np.dtype(np.uint8)).dtype
    return noisy_picture(scene, dtype=np.uint8 if native == np.uint8 else np.uint16, **how)


def _write_bytes(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def _export(out: Path, source: Source, overwrite: bool) -> None:
    engine = Engine(source)
    export_picture(engine, engine.plan(Document()), out, format_for(out, source.pixels.dtype), overwrite=overwrite)
    say(f"{out}: {source.width} x {source.height} px")
