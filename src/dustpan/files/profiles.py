"""Camera profiles, in the user's data folder: each camera's bad pixels, learned from dark frames, and its noise."""

from __future__ import annotations

import hashlib
import json
import math
import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs

from dustpan.core.errors import PictureError
from dustpan.core.noise.camera import Measured, fit_camera
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.source import Source
from dustpan.files.atomic import save_whole

_FORMAT, _VERSION = "dustpan-camera", 1
_OF_NOISE = 10.0  # deviations over the dark level from which a pixel is hot
_LEAST = 0.002  # of the sensor's range
_MOST = 0.02  # share of the pixels; a frame with more hot ones was not taken in the dark
_DARK = 0.1  # of the sensor's range, that other pixels of a dark frame may be brighter than the middle one
_ISO_COUNTS = 2.0  # how much more a stop of ISO counts than one of exposure when the nearest list is chosen


def profile_path(camera: str) -> Path:
    """Return the file of a camera's profile."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", camera).strip("-").lower()[:60]
    mark = hashlib.blake2b(camera.encode(), digest_size=4).hexdigest()
    return Path(platformdirs.user_data_dir("dustpan")) / "cameras" / f"{plain}-{mark}.json"


def read_profile(camera: str) -> dict[str, Any]:
    """Return a camera's profile, an empty one when there is none; raises PictureError that names a broken file."""
    path = profile_path(camera)
    try:
        profile = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        return {"format": _FORMAT, "version": _VERSION, "camera": camera, "hot_pixels": [], "noise": []}
    except (OSError, ValueError) as fault:
        raise PictureError(f"{path}: this camera's profile can't be read ({fault}).") from fault
    if not isinstance(profile, dict) or profile.get("format") != _FORMAT or profile.get("version") != _VERSION:
        raise PictureError(f"{path}: this camera's profile is not of version {_VERSION}.")
    return profile


def learn_hot_pixels(frames: Sequence[Source]) -> dict[str, Any]:
    """Find the bad pixels that dark frames show and keep them in their camera's profile; return what was learned.

    Raises
    ------
    PictureError
        When the frames are not dark, not of one camera and size, or do not name their camera. Nothing is written then.
    """
    first = frames[0]
    camera, size = first.metadata.camera, (first.width, first.height)
    if not camera:
        raise PictureError(f"{first.name}: does not say which camera took it; its hot pixels can't be kept.")
    for other in frames[1:]:
        if other.metadata.camera != camera or (other.width, other.height) != size:
            raise PictureError(f"{other.name}: is of another camera or size than {first.name}.")
    rows, columns = np.nonzero(_hot(frames))
    entry = {
        "iso": first.metadata.iso,
        "exposure": first.metadata.exposure,
        "size": list(size),
        "frames": len(frames),
        "pixels": np.stack([columns, rows], axis=1).tolist(),
    }
    profile = read_profile(camera)
    same = ("iso", "exposure", "size")
    kept = [other for other in profile["hot_pixels"] if any(other.get(key) != entry[key] for key in same)]
    profile["hot_pixels"] = [*kept, entry]
    path = _save(camera, profile)
    return {"camera": camera, "iso": entry["iso"], "exposure": entry["exposure"], "found": len(rows), "file": str(path)}


def learn_noise(camera: str, measured: Sequence[tuple[Source, NoiseModel]]) -> Path:
    """Keep the noise of pictures in their camera's profile, each picture once; return the profile's file.

    Raises
    ------
    PictureError where the profile can't be read; SaveError where it can't be written.
    """
    profile = read_profile(camera)
    new = [_noise_entry(source, model) for source, model in measured]
    names = {entry["picture"] for entry in new}
    profile["noise"] = [entry for entry in profile.get("noise", []) if entry.get("picture") not in names] + new
    return _save(camera, profile)


def _noise_entry(source: Source, model: NoiseModel) -> dict[str, Any]:
    return {
        "picture": source.key,
        "iso": source.metadata.iso,
        **_developed_as(source),
        "doubt": [round(doubt, 4) for doubt in model.doubt],
        "model": model.to_json(),
    }


def _developed_as(source: Source) -> dict[str, Any]:
    """Return what must be alike for the noise of two pictures of a camera to be."""
    return {"pixels": source.width * source.height, "compressed": source.compression is not None}


def noise_of_camera(source: Source) -> NoiseModel | None:
    """Return the noise that a source's camera is known to have at its ISO, developed alike; or None."""
    camera, iso = source.metadata.camera, source.metadata.iso
    if not camera or not iso or source.mosaic is not None:
        return None
    try:
        alike = [e for e in read_profile(camera).get("noise", []) if _developed_as(source).items() <= e.items()]
        measured = [_measured(entry) for entry in alike]
    except (PictureError, KeyError, TypeError, ValueError, AttributeError):
        return None
    return fit_camera(measured).at(iso)


def _measured(entry: dict[str, Any]) -> Measured:
    luminance, colour = (float(doubt) for doubt in entry["doubt"])
    return Measured(int(entry["iso"]), replace(NoiseModel.from_json(entry["model"]), doubt=(luminance, colour)))


def _save(camera: str, profile: dict[str, Any]) -> Path:
    path = profile_path(camera)
    path.parent.mkdir(parents=True, exist_ok=True)
    save_whole(path, lambda part: _write(part, profile), overwrite=True)
    return path


def _write(path: Path, profile: dict[str, Any]) -> None:
    path.write_text(json.dumps(profile), "utf-8")


def _hot(frames: Sequence[Source]) -> np.ndarray:
    """Return (h, w) bool: hot in the median of the frames."""
    planes = [frame.read((0, 0, frame.width, frame.height)).max(axis=2) for frame in frames]
    plane = np.median(planes, axis=0) if len(planes) > 1 else planes[0]
    level = float(np.median(plane))
    spread = 1.4826 * float(np.median(np.abs(plane - level)))
    hot = plane > level + max(_OF_NOISE * spread, _LEAST)
    if hot.mean() > _MOST or float(np.quantile(plane, 1 - _MOST)) > level + _DARK:
        raise PictureError(f"{frames[0].name}: is no dark frame: too many of its pixels are bright.")
    return hot


def with_known(source: Source) -> np.ndarray | None:
    """Return the pixels, (n, 2) x and y, that a source's camera is known to have bad at its ISO and exposure."""
    if not source.metadata.camera:
        return None
    try:
        lists = [entry for entry in read_profile(source.metadata.camera)["hot_pixels"] if _fits(entry, source)]
        nearest = min(lists, key=lambda entry: _distance(entry, source), default=None)
        return None if nearest is None else np.array(nearest["pixels"], int).reshape(-1, 2)
    except (PictureError, KeyError, TypeError, ValueError):
        return None  # reported when something is learned anew; a picture opens without it


def _fits(entry: dict[str, Any], source: Source) -> bool:
    return entry.get("size") == [source.width, source.height]


def _distance(entry: dict[str, Any], source: Source) -> float:
    """Return how far a list was made from a picture's ISO and exposure, in stops."""
    iso = abs(math.log2((entry.get("iso") or 100) / (source.metadata.iso or 100)))
    return _ISO_COUNTS * iso + abs(_stops(str(entry.get("exposure", ""))) - _stops(source.metadata.exposure))


def _stops(exposure: str) -> float:
    """Return an exposure, as "1/30 s" or "4 s", as a logarithm; 0 for an unknown one."""
    found = re.match(r"\s*([\d.]+)(?:/([\d.]+))?", exposure)
    if not found:
        return 0.0
    seconds = float(found[1]) / float(found[2] or 1)
    return math.log2(seconds) if seconds > 0 else 0.0
