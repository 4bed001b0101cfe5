"""Each demo scene as the file that it is by nature, and the map of what is wrong with it."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from importlib.resources import as_file, files
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.files import read_picture
from dustpan.simulate.camera import fringed, hot_pixels, line_light, sensor_light, take_photograph, tone_curve
from dustpan.simulate.scenes import camera_notes, clean_picture, load_truth, noisy_picture, raw_picture, scene_of

#: How many paths of light were followed for each pixel of the versions of a rendered picture.
SAMPLES = (4, 16, 64)
POSTCARD_SIZE, POSTCARD_QUALITY = (720, 480), 22
#: What is wrong with a pixel, as bits of the map.
HOT, LINE, FRINGE, FIREFLY, COMPRESSION = 1, 2, 4, 8, 16
_SEEN = 4 / 255  # difference in display tone from which a defect counts
_FIREFLY = 3.0  # times the light around


def sample_picture(scene: str, *, seed: int = 1, size: tuple[int, int] | None = None, **how) -> Source:
    """Return a scene as it is opened: a photograph, a mosaic, a rendered picture or a compressed one.

    Parameters
    ----------
    seed : the same seed gives the same picture.
    size : width and height, px; smaller than the scene's own.
    how : `Settings` of the camera other than the scene's own; `samples` of a rendered picture, one of `SAMPLES`.
    """
    made = {".dng": raw_picture, ".exr": _rendered, ".jpg": _compressed}
    return made.get(scene_of(scene).suffix, noisy_picture)(scene, seed=seed, size=size, **how)


def _rendered(scene: str, *, seed: int, size: tuple[int, int] | None, samples: int = SAMPLES[1], **how) -> Source:
    """Return a rendered picture. Its noise is that of its own few samples: pixels are picked, not averaged."""
    if samples not in SAMPLES:
        raise PictureError(f"{scene}: {samples} samples were not rendered; there are {', '.join(map(str, SAMPLES))}.")
    with as_file(files("dustpan.simulate") / "data" / f"{scene}-{samples}.exr") as path:
        source = replace(read_picture(path), name=scene)
    if size is None or size == (source.width, source.height):
        return source
    layers = {name: _picked(plane, size) for name, plane in source.layers.items()}
    return replace(source, pixels=_picked(source.pixels, size), layers=layers, exact=None)


def _picked(plane: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    return cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_NEAREST)


def compressed_bytes(scene: str, *, seed: int = 1, size: tuple[int, int] | None = None, **how) -> bytes:
    """Return a scene as a small JPEG, sharpened in the camera and compressed hard."""
    settings = replace(scene_of(scene).settings, **how)
    working = take_photograph(load_truth(scene, size=size or POSTCARD_SIZE), settings, seed=seed)
    buffer = io.BytesIO()
    Image.fromarray(from_working(working, dtype=np.uint8)).save(
        buffer, "JPEG", quality=POSTCARD_QUALITY, subsampling="4:2:0", exif=camera_notes(settings).exif
    )
    return buffer.getvalue()


def _compressed(scene: str, **how) -> Source:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{scene}.jpg"
        path.write_bytes(compressed_bytes(scene, **how))
        return replace(read_picture(path), name=scene)


def truth_picture(scene: str, *, size: tuple[int, int] | None = None) -> Source:
    """Return the clean picture that a sample is scored against, pixel by pixel."""
    suffix = scene_of(scene).suffix
    if suffix == ".exr" and size is not None:
        whole = clean_picture(scene)
        return replace(whole, pixels=_picked(whole.pixels, size))
    return clean_picture(scene, size=POSTCARD_SIZE if suffix == ".jpg" and size is None else size)


def defect_map(scene: str, *, seed: int = 1, size: tuple[int, int] | None = None, **how) -> np.ndarray:
    """Return what is wrong with each pixel of a sample, H x W uint8, as a sum of `HOT` to `COMPRESSION`."""
    suffix, truth = scene_of(scene).suffix, truth_picture(scene, size=size)
    if suffix in (".exr", ".jpg"):
        spoiled = sample_picture(scene, seed=seed, size=size, **how).pixels
        return _fireflies(spoiled, truth.pixels) if suffix == ".exr" else _compression(spoiled, truth.pixels)
    settings = replace(scene_of(scene).settings, **how)
    light = load_truth(scene, size=size)
    marks = np.zeros(light.shape[:2], np.uint8)
    rows, columns, dark = hot_pixels((light.shape[0], light.shape[1]), settings)
    seen = dark / settings.white > _SEEN
    marks[rows[seen], columns[seen]] |= HOT
    if settings.lines:
        marks[line_light(sensor_light(light), settings.lines) > 0] |= LINE
    if settings.fringe:
        change = tone_curve(fringed(light, settings.fringe)) - tone_curve(light)
        marks[np.abs(change).max(axis=2) > 2 * _SEEN] |= FRINGE
    return marks


def _fireflies(spoiled: np.ndarray, truth: np.ndarray) -> np.ndarray:
    light, expected = spoiled.max(axis=2), truth.max(axis=2)
    around = cv2.dilate(expected, np.ones((3, 3)))
    return np.where(light > _FIREFLY * around + 0.1, np.uint8(FIREFLY), np.uint8(0))


def _compression(spoiled: np.ndarray, truth: np.ndarray) -> np.ndarray:
    error = np.abs(spoiled / np.float32(255) - truth / np.float32(65535)).max(axis=2)
    return np.where(error > 2 * _SEEN, np.uint8(COMPRESSION), np.uint8(0))
