"""Frames as files: read, calibrated, a mosaic developed, as linear light."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route
from dustpan.core.errors import PictureError
from dustpan.core.filters.file_values import to_light
from dustpan.core.frames.calibration import Calibration, master_of
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.files import read_picture


@dataclass(frozen=True, eq=False)
class Frame:
    """A frame that is ready to be placed.

    Attributes
    ----------
    light : h x w x channels float32, linear.
    source : what the file says of it; of its pixels one stands for all, but of a mosaic, which is small.
    """

    light: np.ndarray
    source: Source


def raw_light(source: Source) -> np.ndarray:
    """Return a source's linear light before calibration; h x w x 1 of a mosaic."""
    if source.mosaic is not None:
        return source.mosaic.light(source.pixels, (0, 0, source.width, source.height))
    if source.pixels.dtype.kind == "u":
        light = source.pixels / np.float32(np.iinfo(source.pixels.dtype).max)
    else:
        light = source.pixels.astype(np.float32, copy=False)
    return light if source.linear else to_light(light, source.curve).astype(np.float32)


def seconds_of(source: Source) -> float | None:
    """Return the exposure in a file's metadata, or None."""
    try:
        return float(Fraction(source.metadata.exposure.split()[0]))
    except (IndexError, ValueError, ZeroDivisionError):
        return None


def read_frame(path: Path, calibration: Calibration) -> Frame:
    """Read a frame and calibrate it; raises PictureError that names the file."""
    source = read_picture(path)
    try:
        light = calibration.apply(raw_light(source), seconds_of(source))
    except PictureError as fault:
        raise PictureError(f"{path}: {fault}") from fault
    if source.mosaic is not None:
        return Frame(_developed(source, light), source)
    return Frame(light, replace(source, pixels=source.pixels[:1, :1].copy()))


def _developed(source: Source, light: np.ndarray) -> np.ndarray:
    """Return a calibrated mosaic as h x w x 3 linear light."""
    assert source.mosaic is not None
    region = (0, 0, source.width, source.height)
    engine = Engine(replace(source, pixels=source.mosaic.numbers(light, region)), noise=NoiseModel.none())
    plan = engine.plan(Document(Route().original(mosaic=True)))
    return decode_curve(engine.render(plan, region)).astype(np.float32)


def read_calibration(bias: Sequence[Path], dark: Sequence[Path], flat: Sequence[Path]) -> Calibration:
    """Return the masters of calibration frames; raises PictureError that names the file."""
    (bias_light, _), (dark_light, seconds), (flat_light, _) = (_master(paths) for paths in (bias, dark, flat))
    return Calibration(bias_light, dark_light, seconds, flat_light)


def _master(paths: Sequence[Path]) -> tuple[np.ndarray | None, float | None]:
    if not paths:
        return None, None
    sources = [read_picture(path) for path in paths]
    lights = [raw_light(source) for source in sources]
    for path, light in zip(paths, lights, strict=True):
        if light.shape != lights[0].shape:
            raise PictureError(f"{path}: not of the size of {paths[0].name}.")
    return master_of(lights), seconds_of(sources[0])
