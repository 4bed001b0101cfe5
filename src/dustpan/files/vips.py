"""JPEG, PNG and WebP through libvips: 8 and 16 bits, with profile, EXIF, XMP, IPTC and resolution.

PNG has no block for IPTC; it is kept as the text chunk that many programs use for it. WebP has no place for it.
"""

from __future__ import annotations

import struct
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import pyvips

from dustpan.core.errors import PictureError
from dustpan.core.picture import Metadata, Source
from dustpan.files import exif
from dustpan.files.limits import check_size

_BLOCKS = {"exif": "exif-data", "xmp": "xmp-data", "iptc": "iptc-data", "profile": "icc-profile-data"}
#: How JPEG files wrap IPTC records: the marker of a resource list, then one entry, number 0x0404, without a name.
_RESOURCE = bytes.fromhex("50686f746f73686f7020332e3000 3842494d 0404 0000")
_MM_PER_INCH = 25.4
_PNG_HEAD = 33  # bytes: the signature and the first chunk
_PNG_IPTC = "Raw profile type iptc"  # keyword of the text chunk: its length, then the resource in hexadecimal digits


def read(path: Path) -> Source:
    """Read a JPEG, PNG or WebP file."""
    pyvips.cache_set_max(0)
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential", fail_on="error")
        check_size(path, image.width, image.height, image.bands)
        metadata = _metadata(image)
        image, messages = _plain(image.autorot())
        pixels = image.numpy()
    except pyvips.Error as fault:
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({_reason(fault)}).") from fault
    pixels = np.array(pixels.reshape(image.height, image.width, image.bands))
    alpha = None
    if image.bands in (2, 4):
        pixels, alpha = np.ascontiguousarray(pixels[..., :-1]), np.ascontiguousarray(pixels[..., -1])
    return Source(pixels, name=path.name, alpha=alpha, metadata=metadata, messages=messages)


def _plain(image: pyvips.Image) -> tuple[pyvips.Image, tuple[str, ...]]:
    """Return the image in grey or RGB of 8 or 16 bits, and a message when colours were converted."""
    messages: tuple[str, ...] = ()
    if image.interpretation == "cmyk":
        image = image.icc_transform("srgb", embedded=True, input_profile="cmyk")
        image = image.copy()
        image.remove("icc-profile-data")
        messages = ("Converted from CMYK to sRGB.",)
    if image.format not in ("uchar", "ushort"):
        image = image.cast("ushort" if image.interpretation in ("rgb16", "grey16") else "uchar")
    return image, messages


def _metadata(image: pyvips.Image) -> Metadata:
    fields = set(image.get_fields())
    held: dict[str, Any] = {name: bytes(image.get(field)) for name, field in _BLOCKS.items() if field in fields}
    text = next((str(image.get(f)) for f in fields if f.startswith("png-comment-") and f.endswith(_PNG_IPTC)), "")
    held["iptc"] = _unwrap_iptc(held.get("iptc", b"") or _from_text(text))
    block = exif.reset_orientation(exif.strip_prefix(held.get("exif", b"")))
    held["exif"] = block
    if image.interpretation == "cmyk":
        held.pop("profile", None)
    resolution = None
    if "resolution-unit" in fields and (image.xres, image.yres) != (1.0, 1.0):  # what is said when nothing is known
        resolution = (image.xres * _MM_PER_INCH, image.yres * _MM_PER_INCH)
    return Metadata(**held, resolution=resolution, **exif.facts(block))


def _wrap(name: str, block: bytes) -> bytes:
    """Return a block with the marker its place in a JPEG file asks for."""
    if name == "exif":
        return b"Exif\x00\x00" + block
    if name == "iptc":
        return _RESOURCE + len(block).to_bytes(4, "big") + block + b"\x00" * (len(block) % 2)
    return block


def _unwrap_iptc(block: bytes) -> bytes:
    """Return the IPTC records of a resource block, or the block itself when it is not wrapped."""
    at = block.find(_RESOURCE[-8:])
    if at < 0:
        return block
    length = int.from_bytes(block[at + 8 : at + 12], "big")
    return block[at + 12 : at + 12 + length]


def _add_iptc(path: Path, block: bytes) -> None:
    """Put the text chunk of an IPTC block behind the head of a PNG file."""
    resource = _RESOURCE[-12:] + len(block).to_bytes(4, "big") + block + b"\x00" * (len(block) % 2)
    digits = resource.hex()
    lines = [digits[n : n + 72] for n in range(0, len(digits), 72)]
    text = "\n".join(["", "iptc", f"{len(resource):8d}", *lines, ""])
    body = b"zTXt" + _PNG_IPTC.encode() + b"\x00\x00" + zlib.compress(text.encode())
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    whole = path.read_bytes()
    path.write_bytes(whole[:_PNG_HEAD] + chunk + whole[_PNG_HEAD:])


def _from_text(text: str) -> bytes:
    try:
        return bytes.fromhex("".join(text.split()[2:]))
    except ValueError:
        return b""  # a broken note does not cost the picture


def _reason(fault: pyvips.Error) -> str:
    lines = [line.strip() for line in str(fault.detail).splitlines() if line.strip()]
    return lines[-1] if lines else str(fault.message)


def write(path: Path, pixels: np.ndarray, metadata: Metadata, *, saver: str, quality: int) -> None:
    """Write H x W x 1 to 4 (last channel alpha when even), uint8 or uint16."""
    height, width, bands = pixels.shape
    kind = "uchar" if pixels.dtype == np.uint8 else "ushort"
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels).tobytes(), width, height, bands, kind)
    names = {("uchar", False): "b-w", ("uchar", True): "srgb", ("ushort", False): "grey16", ("ushort", True): "rgb16"}
    changes: dict[str, Any] = {"interpretation": names[kind, bands >= 3]}
    if metadata.resolution:
        changes |= {f"{axis}res": value / _MM_PER_INCH for axis, value in zip("xy", metadata.resolution, strict=True)}
    image = image.copy(**changes)
    for name, field in _BLOCKS.items():
        if block := getattr(metadata, name):
            block = _wrap(name, block)
            image.set_type(pyvips.GValue.blob_type, field, block)
    if metadata.resolution:
        image.set_type(pyvips.GValue.gstr_type, "resolution-unit", "in")
    savers: dict[str, dict[str, Any]] = {
        "jpeg": {"Q": quality, "subsample_mode": "off" if quality >= 90 else "auto", "optimize_coding": True},
        "png": {"compression": 4},
        "webp": {"Q": quality},
    }
    try:
        getattr(image, f"{saver}save")(str(path), keep="all", **savers[saver])
    except pyvips.Error as fault:
        raise OSError(_reason(fault)) from fault  # names the target where it is caught
    if saver == "png" and metadata.iptc:
        _add_iptc(path, metadata.iptc)


def glimpse(source: Path | bytes, side: int = 1024) -> tuple[np.ndarray, tuple[int, int]] | None:
    """Return a JPEG or WebP file (or its bytes) reduced to about `side` px, upright, and the full size; None when that fails."""
    try:
        if isinstance(source, bytes):
            image, small = pyvips.Image.new_from_buffer(source, ""), pyvips.Image.thumbnail_buffer(source, side)
        else:
            image, small = pyvips.Image.new_from_file(str(source)), pyvips.Image.thumbnail(str(source), side)
        size = (image.width, image.height)
        size = size if (size[0] >= size[1]) == (small.width >= small.height) else size[::-1]
        pixels = np.asarray(small.colourspace("srgb").numpy())
    except pyvips.Error:
        return None
    return np.ascontiguousarray(pixels.reshape(small.height, small.width, -1)[..., :3]), size
