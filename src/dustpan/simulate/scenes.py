"""The demo scenes: clean truth shipped with the package, photographed by the made-up camera when asked for."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
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


@dataclass(frozen=True)
class Scene:
    """A demo scene.

    Attributes
    ----------
    words : what it shows.
    light : name of its truth.
    settings : of the camera, where nobody says otherwise.
    suffix : of the file that it is by nature: ".dng" a mosaic, ".exr" a rendered picture, ".jpg" a compressed one.
    haze : part of the light that is lost over 1 m of air; daylight comes in its place.
    stops : by which it is underexposed.
    """

    words: str
    light: str
    settings: Settings = field(default_factory=Settings)
    suffix: str = ".png"
    haze: float = 0.0
    stops: float = 0.0


SCENES = {
    "bench": Scene("a clockmaker's bench by one lamp, at night", "bench"),
    "tower": Scene(
        "the lit tower at dusk, a raw file with hot pixels and sensor lines",
        "tower",
        Settings(iso=800, seconds=3.2, lines=1.0, fringe=1.0),
        ".dng",
    ),
    "escapement": Scene("brass and steel, rendered with few samples: fireflies", "escapement", suffix=".exr"),
    "postcard": Scene(
        "the tower as a small picture, compressed hard", "tower", Settings(iso=400, sharpening=0.7), ".jpg"
    ),
    "belfry": Scene(
        "a hazy belfry against its window, three stops under",
        "belfry",
        Settings(iso=400, seconds=1 / 8),
        haze=0.085,
        stops=3.0,
    ),
}
_AIR = np.array([0.085, 0.094, 0.104], np.float32)  # light of thick haze
_SCATTERED = 0.12  # of the light around, that haze sends to the eye
_WIDE = 0.05  # of the picture's width, over which it does
_PER_METRE = 10.0  # units of the belfry's depth


def scene_of(name: str) -> Scene:
    """Return a scene; raises PictureError for an unknown one."""
    if name not in SCENES:
        raise PictureError(f"{name}: no such scene; there are {', '.join(SCENES)}.")
    return SCENES[name]


def load_truth(scene: str, *, size: tuple[int, int] | None = None) -> np.ndarray:
    """Return a scene's clean linear light, H x W x 3 float32; raises PictureError for an unknown scene."""
    described = scene_of(scene)
    light = clear_light(scene)
    if described.haze:
        light = _hazy(light, _stored_plane(scene, "depth") * np.float32(200 / _PER_METRE), described.haze)
    if described.stops:
        light = light * np.float32(2.0**-described.stops)
    if size is None or size == light.shape[1::-1]:
        return light
    return cv2.resize(light, size, interpolation=cv2.INTER_AREA)


def clear_light(scene: str) -> np.ndarray:
    """Return a scene's linear light without haze, well exposed, H x W x 3 float32."""
    return _stored_light(scene_of(scene).light)


def _hazy(light: np.ndarray, metres: np.ndarray, lost: float) -> np.ndarray:
    """Return light through haze, which is brighter near what is bright."""
    through = np.power(np.float32(1 - lost), metres)
    height, width = light.shape[:2]
    small = cv2.resize(np.minimum(light, 3), None, fx=1 / 8, fy=1 / 8, interpolation=cv2.INTER_AREA)
    around = cv2.resize(cv2.GaussianBlur(small, (0, 0), _WIDE * width / 8), (width, height))
    air = _AIR + np.float32(_SCATTERED) * around
    return light * through + air * (1 - through)


@lru_cache(maxsize=1)
def _stored_light(name: str) -> np.ndarray:
    with as_file(files("dustpan.simulate") / "data") as folder:
        there = [path for path in (folder / f"{name}.exr", folder / f"{name}.png") if path.exists()]
        source = read_picture(there[0])
    light = source.pixels if source.linear else light_of(source.pixels)
    light.flags.writeable = False
    return light


def load_features(scene: str) -> dict[str, np.ndarray]:
    """Return a scene's feature channels: albedo (H x W x 3, 0 to 1), normal (-1 to 1), depth (H x W x 1, cm)."""
    found = {}
    for name, low, high in (("albedo", 0.0, 1.0), ("normal", -1.0, 1.0), ("depth", 0.0, 200.0)):
        found[name] = (low + (high - low) * _stored_plane(scene, name)).astype(np.float32)
    return found


def _stored_plane(scene: str, name: str) -> np.ndarray:
    """Return a feature channel as it is shipped, H x W x channels, 0 to 1."""
    with as_file(files("dustpan.simulate") / "data" / f"{scene}-{name}.png") as path:
        stored = read_picture(path).pixels
    return stored / np.float32(np.iinfo(stored.dtype).max)


def clean_picture(scene: str, *, size: tuple[int, int] | None = None, dtype=np.uint16) -> Source:
    """Return what a camera without noise would give: the truth that results are scored against."""
    light = load_truth(scene, size=size)
    if scene_of(scene).suffix == ".exr":
        return Source(light.copy(), name=f"{scene}, clean", linear=True)
    return Source(from_working(tone_curve(light), dtype=dtype), name=f"{scene}, clean")


def noisy_picture(scene: str, *, seed: int = 1, size=None, dtype=np.uint8, **how) -> Source:
    """Return a scene as photographed; the same seed gives the same picture. `how` : `Settings` other than its own."""
    settings = replace(scene_of(scene).settings, **how)
    working = take_photograph(load_truth(scene, size=size), settings, seed=seed)
    return Source(from_working(working, dtype=dtype), name=scene, metadata=camera_notes(settings))


def raw_picture(scene: str, *, seed: int = 1, size=None, six: bool = False, **how) -> Source:
    """Return the sensor's mosaic of a scene, 2 x 2 or, when `six`, 6 x 6; `how` : `Settings` other than its own."""
    settings = replace(scene_of(scene).settings, **how)
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
