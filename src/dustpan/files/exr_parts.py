"""OpenEXR: linear light; every other channel, other parts and the header are carried along, each in its own type."""

from __future__ import annotations

import base64
import contextlib
import os
import threading
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Metadata, Source
from dustpan.files import exif
from dustpan.files.icc import profile_of
from dustpan.files.limits import NON_FINITE_NOTE, check_size, replace_non_finite

#: Blocks of other formats, carried as text attributes in base 64.
_BLOCKS = {"exif": "exifBlock", "iptc": "iptcBlock", "profile": "iccProfile"}
_SRGB = (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329)
_LOSSLESS = tuple(
    getattr(OpenEXR, f"{name}_COMPRESSION")
    for name in ("NO", "RLE", "ZIPS", "ZIP", "PIZ", "HTJ2K", "HTJ2K32", "HTJ2K256")
    if hasattr(OpenEXR, f"{name}_COMPRESSION")
)
_hushing = threading.Lock()
_FAULTS = (RuntimeError, ValueError, KeyError, TypeError, OSError, IndexError, AttributeError)


def read(path: Path) -> Source:
    """Read the first part's colours; the other channels are kept as layers, the other parts as they are."""
    headers, parts = _read_parts(path)
    header, planes = headers[0], parts[0]
    names = _colours(path, list(planes))
    colours = [planes.pop(name) for name in names]
    if any(plane.shape != colours[0].shape for plane in colours):
        raise PictureError(f"{path}: its colour channels have different sizes; they can't be opened.")
    alpha_name = names[0][: -len(names[0].split(".")[-1])] + "A"
    alpha = planes.pop(alpha_name, None)
    types = {name: plane.dtype for name, plane in zip(names, colours, strict=True)}
    if alpha is not None:
        types[alpha_name] = alpha.dtype
    kept = {key: value for key, value in header.items() if key not in ("channels", "chunkCount")}
    blocks = {name: _block(kept.pop(key, "")) for name, key in _BLOCKS.items()}
    blocks["profile"] = blocks["profile"] or (_own_profile(header) if len(colours) == 3 else b"")
    rest = list(zip(headers[1:], parts[1:], strict=True))
    kept |= {"names": (*names, alpha_name), "types": types, "parts": rest}
    stacked = np.stack(colours, axis=-1)
    pixels, non_finite = replace_non_finite(stacked.astype(np.float32))
    return Source(
        pixels,
        name=path.name,
        linear=True,
        alpha=None if alpha is None else alpha.astype(np.float32),
        layers=planes,
        metadata=_metadata(header, kept, blocks),
        messages=_notes(header, len(parts), non_finite is not None),
        alpha_kind="premultiplied",
        non_finite=non_finite,
        exact=stacked if any(kind == np.uint32 for kind in types.values()) else None,
    )


def _read_parts(path: Path) -> tuple[list[dict[str, Any]], list[dict[str, np.ndarray]]]:
    """Return the header and the planes of each part, the sizes checked before any plane is read."""
    try:
        # By descriptor: a name need not be text.
        with open(path, "rb") as file, _hushed():
            name = f"/proc/self/fd/{file.fileno()}"
            with OpenEXR.File(name, header_only=True) as opened:
                headers = [dict(part.header) for part in opened.parts]
            for header in headers:
                low, high = header["dataWindow"]
                check_size(path, int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1, 3)
            with OpenEXR.File(name, separate_channels=True) as opened:
                parts = [_planes(part) for part in opened.parts]
    except PictureError:
        raise
    except _FAULTS as fault:
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault
    if not headers or len(parts) != len(headers):
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read (it has no parts).")
    return headers, parts


def _metadata(header: Mapping[str, Any], kept: dict[str, Any], blocks: dict[str, bytes]) -> Metadata:
    iso = header.get("isoSpeed")
    return Metadata(
        native=("exr", kept),
        resolution=_resolution(header),
        xmp=str(header.get("xmp", "")).encode("utf-8", "replace"),
        camera=str(header.get("cameraModel", "")),
        iso=int(iso) if iso and np.isfinite(iso) else None,
        exposure=exif.facts(blocks["exif"])["exposure"],
        **blocks,
    )


def _notes(header: Mapping[str, Any], parts: int, non_finite: bool) -> tuple[str, ...]:
    """Return what has to be said of the file."""
    notes = {
        f"The file has {parts} parts; the first was opened, the others are kept.": parts > 1,
        NON_FINITE_NOTE: non_finite,
        "The file names primaries that are none; its colours are shown as sRGB's.": _senseless_primaries(header),
        "Its compression loses detail; it is written with one that does not.": header.get("compression")
        not in _LOSSLESS,
    }
    return tuple(note for note, holds in notes.items() if holds)


@contextlib.contextmanager
def _hushed() -> Iterator[None]:
    """Keep the library from printing on standard error: it names a file that nobody knows; the message is ours."""
    with _hushing:
        kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, 2)
        try:
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)
            os.close(nowhere)


def _planes(part: Any) -> dict[str, np.ndarray]:
    return {name: np.asarray(channel.pixels) for name, channel in part.channels.items()}


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


def _own_profile(header: Mapping[str, Any]) -> bytes:
    """Return the profile of the primaries that a file names; empty for those of sRGB, or none that make sense."""
    try:
        given = np.ravel(header["chromaticities"])[:8].astype(np.float64)
        return (
            b"" if np.allclose(given, _SRGB, atol=2e-3) else profile_of(given.tolist(), "Primaries of an OpenEXR file")
        )
    except (KeyError, TypeError, ValueError):  # none, or no eight numbers
        return b""


def _senseless_primaries(header: Mapping[str, Any]) -> bool:
    if "chromaticities" not in header or _own_profile(header):
        return False
    try:
        return not np.allclose(np.ravel(header["chromaticities"]).astype(np.float64), _SRGB, atol=2e-3)
    except (TypeError, ValueError):
        return True


def _resolution(header: Mapping[str, Any]) -> tuple[float, float] | None:
    density = float(header.get("xDensity", 0) or 0)
    return (density, density * float(header.get("pixelAspectRatio", 1) or 1)) if density > 0 else None


def write(path: Path, pixels: np.ndarray, metadata: Metadata, layers: Mapping[str, np.ndarray]) -> None:
    """Write H x W x 1 to 4 (last channel alpha when even), and the layers and other parts as they were read.

    Colours of a source that held them in other types are brought back to these, rounded and cut off where they must.
    """
    native, header = metadata.native if metadata.native else ("", {})
    kept = dict(header) if native == "exr" else {}
    types, names, parts = kept.pop("types", {}), kept.pop("names", None), kept.pop("parts", [])
    bands = pixels.shape[2]
    same = names is not None and len(names) - 1 == (3 if bands >= 3 else 1)
    colour_names = tuple(names[:-1]) if same else ("R", "G", "B") if bands >= 3 else ("Y",)
    alpha_name = names[-1] if names else "A"
    channels = {name: _as_type(pixels[..., n], types.get(name)) for n, name in enumerate(colour_names)}
    if bands in (2, 4):
        channels[alpha_name] = _as_type(pixels[..., -1], types.get(alpha_name))
    channels |= dict(layers)
    if metadata.resolution:
        kept.setdefault("xDensity", float(metadata.resolution[0]))
        if metadata.resolution[0] > 0:
            kept.setdefault("pixelAspectRatio", float(metadata.resolution[1] / metadata.resolution[0]))
    named = {"xmp": metadata.xmp.decode("utf-8", "replace"), "cameraModel": metadata.camera}
    own = _own_profile(kept)  # said by the chromaticities
    named |= {key: base64.b64encode(getattr(metadata, name)).decode() for name, key in _BLOCKS.items()}
    if own and metadata.profile == own:
        del named[_BLOCKS["profile"]]
    kept |= {key: text for key, text in named.items() if text}
    if metadata.iso:
        kept["isoSpeed"] = float(metadata.iso)
    if not _as_large(kept.get("dataWindow"), pixels):
        for window in ("dataWindow", "displayWindow"):  # of a picture of another size
            kept.pop(window, None)
    whole = [OpenEXR.Part(_writable(kept), _contiguous(channels), str(kept.get("name", "")))]
    whole += [
        OpenEXR.Part(_writable(other), _contiguous(planes), str(other.get("name", ""))) for other, planes in parts
    ]
    try:
        with open(path, "r+b") as file, OpenEXR.File(whole) as writer:
            writer.write(f"/proc/self/fd/{file.fileno()}")
    except _FAULTS as fault:
        raise OSError(str(fault)) from fault  # names the target where it is caught


def _as_large(window: Any, pixels: np.ndarray) -> bool:
    if window is None:
        return False
    low, high = np.asarray(window)
    return tuple(high - low + 1) == (pixels.shape[1], pixels.shape[0])


def _as_type(plane: np.ndarray, kind: np.dtype | None) -> np.ndarray:
    if kind is None or kind == plane.dtype:
        return plane
    if kind == np.uint32:
        return np.clip(np.rint(plane.astype(np.float64)), 0, np.iinfo(np.uint32).max).astype(np.uint32)
    with np.errstate(over="ignore"):
        return plane.astype(kind)


def _writable(header: Mapping[str, Any]) -> dict[str, Any]:
    """Return a header for scan lines without loss."""
    kept = {key: value for key, value in header.items() if key not in ("channels", "chunkCount", "tiles")}
    if kept.get("compression") not in _LOSSLESS:
        kept["compression"] = OpenEXR.ZIP_COMPRESSION
    kept["type"] = OpenEXR.scanlineimage
    return kept


def _contiguous(channels: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
    return {name: np.ascontiguousarray(plane) for name, plane in channels.items()}
