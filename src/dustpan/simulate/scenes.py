"""The demo scenes: clean truth shipped with the package, photographed by the made-up camera when asked for."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from importlib.resources import as_file, files

import cv2
import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.picture.curve import SRGB_TO_XYZ
from dustpan.core.picture.source import Metadata, Mosaic, Source
from dustpan.core.picture.working import from_working
from dustpan.files import exif, read_picture
from dustpan.simulate.camera import (
    BAYER,
    BLACK,
    MODEL,
    SIX_BY_SIX,
    TO_DISPLAY,
    WHITE,
    WHITE_BALANCE,
    Settings,
    light_of,
    read_sensor,
    take_photograph,
    tone_curve,
)

SCENES = {"bench": "a clockmaker's bench by one lamp, at night"}
DEFAULT_ISO = 12800


def load_truth(scene: str, *, size: tuple[int, int] | None = None) -> np.ndarray:
    """Return a scene's clean linear light, H x W x 3 float32; raises PictureError for an unknown scene."""
    if scene not in SCENES:
        raise PictureError(f"{scene}: no such scene; there are {', '.join(SCENES)}.")
    light = _stored_light(scene)
    if size is None or size == light.shape[1::-1]:
        return light
    return cv2.resize(light, size, interpolation=cv2.INTER_AREA)


@lru_cache(maxsize=1)
def _stored_light(scene: str) -> np.ndarray:
    with as_file(files("dustpan.simulate") / "data" / f"{scene}.png") as path:
        light = light_of(read_picture(path).pixels)
    light.flags.writeable = False
    return light


def load_features(scene: str) -> dict[str, np.ndarray]:
    """Return a scene's feature channels: albedo (H x W x 3, 0 to 1), normal (-1 to 1), depth (H x W x 1, cm)."""
    found = {}
    for name, low, high in (("albedo", 0.0, 1.0), ("normal", -1.0, 1.0), ("depth", 0.0, 200.0)):
        with as_file(files("dustpan.simulate") / "data" / f"{scene}-{name}.png") as path:
            stored = read_picture(path).pixels
        found[name] = (low + (high - low) * (stored / np.iinfo(stored.dtype).max)).astype(np.float32)
    return found


def clean_picture(scene: str, *, size: tuple[int, int] | None = None, dtype=np.uint16) -> Source:
    """Return what a camera without noise would give: the truth that results are scored against."""
    working = tone_curve(load_truth(scene, size=size))
    return Source(from_working(working, dtype=dtype), name=f"{scene}, clean")


def noisy_picture(scene: str, *, iso: int = DEFAULT_ISO, seed: int = 1, size=None, dtype=np.uint8, **how) -> Source:
    """Return a scene photographed at an ISO; the same seed gives the same picture. `how` : other `Settings`."""
    settings = Settings(iso=iso, **how)
    working = take_photograph(load_truth(scene, size=size), settings, seed=seed)
    return Source(from_working(working, dtype=dtype), name=scene, metadata=camera_notes(settings))


def raw_picture(scene: str, *, iso: int = DEFAULT_ISO, seed: int = 1, size=None, six: bool = False, **how) -> Source:
    """Return the sensor's mosaic of a scene at an ISO, 2 x 2 or, when `six`, 6 x 6; `how` : other `Settings`."""
    settings = Settings(iso=iso, **how)
    pattern = SIX_BY_SIX if six else BAYER
    plane = read_sensor(load_truth(scene, size=size), settings, seed=seed, pattern=pattern)
    numbers = np.clip(np.rint(plane * (WHITE - BLACK) + BLACK), 0, WHITE).astype(np.uint16)
    to_camera = np.diag(1 / WHITE_BALANCE) @ np.linalg.inv(TO_DISPLAY) @ np.linalg.inv(SRGB_TO_XYZ)
    red, green, blue = (float(v) for v in WHITE_BALANCE)
    mosaic = Mosaic(
        pattern, np.full(pattern.shape, float(BLACK)), float(WHITE), (red, green, blue), TO_DISPLAY, to_camera
    )
    return Source(numbers[..., None], name=scene, mosaic=mosaic, metadata=camera_notes(settings))


def camera_notes(settings: Settings) -> Metadata:
    """Return the metadata that the made-up camera writes."""
    block = exif.make_block(
        {
            "Exif.Image.Make": MODEL[0],
            "Exif.Image.Model": MODEL[1],
            "Exif.Photo.ISOSpeedRatings": str(settings.iso),
            "Exif.Photo.ExposureTime": _rational(settings.seconds),
            "Exif.Photo.FNumber": "28/10",
        }
    )
    return Metadata(exif=block, resolution=(300.0, 300.0), **exif.facts(block))


def _rational(value: float) -> str:
    fraction = Fraction(value).limit_denominator(100_000)
    return f"{fraction.numerator}/{fraction.denominator}"
