"""OpenEXR: linear light in 16 or 32-bit float, with every other channel of the file carried along by name."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from dustpan.core.errors import PictureError
from dustpan.core.picture import Metadata, Source
from dustpan.files import exif
from dustpan.files.limits import check_size, sound_numbers

#: Blocks of other formats, carried as text attributes in base 64.
_BLOCKS = {"exif": "exifBlock", "iptc": "iptcBlock", "profile": "iccProfile"}
_SRGB = (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329)


def read(path: Path) -> Source:
    """Read the first part's colours; the other channels are kept as layers."""
    try:
        with OpenEXR.File(str(path), header_only=True) as file:
            header = dict(file.header())
            parts = len(file.parts)
        low, high = header["dataWindow"]
        channels = [channel.name for channel in header["channels"]]
        check_size(path, int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1, 3)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            planes = {name: np.asarray(channel.pixels) for name, channel in file.channels().items()}
    except PictureError:
        raise
    except (RuntimeError, ValueError, KeyError, TypeError, OSError, MemoryError) as fault:
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault
    names = _colours(path, channels)
    colours = [planes.pop(name) for name in names]
    alpha_name = names[0][: -len(names[0].split(".")[-1])] + "A"
    alpha = planes.pop(alpha_name).astype(np.float32) if alpha_name in planes else None
    pixels, unsound = sound_numbers(np.stack(colours, axis=-1).astype(np.float32))
    notes = {
        "The file has several parts; the first was opened.": parts > 1,
        "The file holds values that are no numbers; they were opened as black or white.": unsound,
        "The file names primaries of its own; its colours are shown as if they were sRGB's.": _other_primaries(header),
    }
    kept = {key: value for key, value in header.items() if key not in ("channels", "chunkCount")}
    blocks = {name: _block(kept.pop(key, "")) for name, key in _BLOCKS.items()}
    kept["names"] = (*names, alpha_name)
    kept["half"] = colours[0].dtype == np.float16
    iso = header.get("isoSpeed")
    metadata = Metadata(
        native=("exr", kept), resolution=_resolution(header), xmp=str(header.get("xmp", "")).encode(),
        camera=str(header.get("cameraModel", "")), iso=int(iso) if iso else None,
        exposure=exif.facts(blocks["exif"])["exposure"], **blocks,
    )  # fmt: skip
    messages = tuple(note for note, holds in notes.items() if holds)
    return Source(pixels, name=path.name, linear=True, alpha=alpha, layers=planes, metadata=metadata, messages=messages)


def _block(text: Any) -> bytes:
    try:
        return base64.b64decode(str(text), validate=True)
    except ValueError:
        return b""  # another program's attribute of that name


def _colours(path: Path, channels: list[str]) -> list[str]:
    """Return the names of the colour channels: R, G, B of the file or of its first layer, else Y."""
    layers = ["", *dict.fromkeys(name.rpartition(".")[0] + "." for name in channels if "." in name)]
    for layer in layers:
        for names in (("R", "G", "B"), ("r", "g", "b"), ("Y",)):
            if all(layer + name in channels for name in names):
                return [layer + name for name in names]
    raise PictureError(f"{path}: has no colour channels; R, G, B or Y were expected and {', '.join(channels)} found.")


def _other_primaries(header: Mapping[str, Any]) -> bool:
    given = header.get("chromaticities")
    return given is not None and not np.allclose(np.ravel(given)[:8], _SRGB, atol=2e-3)


def _resolution(header: Mapping[str, Any]) -> tuple[float, float] | None:
    density = float(header.get("xDensity", 0) or 0)
    return (density, density * float(header.get("pixelAspectRatio", 1) or 1)) if density > 0 else None


def write(path: Path, pixels: np.ndarray, metadata: Metadata, layers: Mapping[str, np.ndarray]) -> None:
    """Write H x W x 1 to 4 float32 (last channel alpha when even), and the layers as they were read."""
    native, header = metadata.native if metadata.native else ("", {})
    kept = dict(header) if native == "exr" else {}
    half = kept.pop("half", False)
    names = kept.pop("names", None)
    bands = pixels.shape[2]
    plain = (("R", "G", "B") if bands >= 3 else ("Y",), "A")
    colour_names = tuple(names[:-1]) if names and len(names) - 1 == (3 if bands >= 3 else 1) else plain[0]
    alpha_name = names[-1] if names else plain[1]
    channels = {name: pixels[..., n].astype(np.float16 if half else np.float32) for n, name in enumerate(colour_names)}
    if bands in (2, 4):
        channels[alpha_name] = pixels[..., -1].astype(np.float16 if half else np.float32)
    channels |= {name: np.ascontiguousarray(plane) for name, plane in layers.items()}
    kept.setdefault("compression", OpenEXR.ZIP_COMPRESSION)
    kept["type"] = OpenEXR.scanlineimage
    if metadata.resolution:
        kept.setdefault("xDensity", float(metadata.resolution[0]))
    named = {"xmp": metadata.xmp.decode("utf-8", "replace"), "cameraModel": metadata.camera}
    named |= {key: base64.b64encode(getattr(metadata, name)).decode() for name, key in _BLOCKS.items()}
    kept |= {key: text for key, text in named.items() if text}
    if metadata.iso:
        kept["isoSpeed"] = float(metadata.iso)
    for tiled in ("tiles", "chunkCount"):
        kept.pop(tiled, None)
    try:
        with OpenEXR.File(kept, {name: np.ascontiguousarray(plane) for name, plane in channels.items()}) as file:
            file.write(str(path))
    except (RuntimeError, ValueError, TypeError) as fault:
        raise OSError(str(fault)) from fault  # names the target where it is caught
