"""`dustpan learn`: keep a camera's hot pixels, as dark frames show them."""

from __future__ import annotations

from pathlib import Path

import click

from dustpan.batch.camera_noise import fitted, keep_shots, measure_shots
from dustpan.cli.report import print_json, quiet_output, say
from dustpan.core.errors import PictureError
from dustpan.core.work.cancel import Token
from dustpan.files import read_picture
from dustpan.files.profiles import learn_hot_pixels


@click.command()
@click.argument("frames", metavar="DARK …", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--noise", is_flag=True, help="Learn the noise over ISO instead, from pictures at several ISOs.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def learn(frames, noise, as_json):
    """Learn a camera's hot pixels from dark frames of one ISO and exposure. Example: dustpan learn dark*.dng"""
    if noise:
        _learn_noise(frames, as_json)
        return
    with quiet_output():
        learned = learn_hot_pixels([read_picture(path) for path in frames])
    if as_json:
        print_json(learned)
    else:
        click.echo(f"{learned['found']} hot pixels of {learned['camera']} kept in {learned['file']}")


def _learn_noise(pictures: list[Path], as_json: bool) -> None:
    with quiet_output():
        shots, faults = measure_shots(pictures, token=Token())
        for fault in faults:
            say(f"dustpan: {fault}")
        if not shots:
            raise PictureError("The noise of a camera can't be measured in any of these pictures.")
        file, told = keep_shots(shots), fitted(shots)
    levels = [
        {"iso": iso, "luminance": round(model.luminance, 3), "colour": round(model.colour, 3)}
        for iso, model in zip(told.isos, told.models, strict=True)
    ]
    camera = shots[0].source.metadata.camera
    if as_json:
        print_json({"camera": camera, "noise": levels, "file": str(file), "failed": faults})
    else:
        for level in levels:
            click.echo(f"ISO {level['iso']}: luminance {level['luminance']:.1f}, colour {level['colour']:.1f} levels")
        click.echo(f"Noise of {camera} kept in {file}")
    if faults:
        click.get_current_context().exit(1)
