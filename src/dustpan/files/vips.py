"""JPEG, PNG and WebP through libvips: 8 and 16 bits, with profile, EXIF, XMP, IPTC and resolution.

Only pixels, profile and resolution go through that library; the notes are put in by `exif.put`, as they were.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pyvips

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Metadata, Source
from dustpan.files import exif
from dustpan.files.jpeg_compression import read_compression
from dustpan.files.limits import check_size

_BLOCKS = {"exif": "exif-data", "xmp": "xmp-data", "iptc": "iptc-data", "profile": "icc-profile-data"}
_MM_PER_INCH = 25.4
_LOOKED_AT = 1 << 18  # bytes in which notes stand
_USUAL_GAMMA = 45455  # of PNG files in sRGB
_PNG_HEAD = 33  # bytes: the signature and the first chunk
_PNG_IPTC = "Raw profile type iptc"  # keyword of the text chunk: its length, then the resource in hexadecimal digits


def read(path: Path) -> Source:
    """Read a JPEG, PNG or WebP file."""
    pyvips.cache_set_max(0)
    try:
        # By descriptor: a name may end in brackets, or be no text at all.
        with open(path, "rb") as file:
            head = file.read(1 << 16)
            file.seek(0)
            image = pyvips.Image.new_from_source(
                pyvips.Source.new_from_descriptor(file.fileno()), "", access="sequential", fail_on="error"
            )
            check_size(path, image.width, image.height, image.bands)
            orientation = int(image.get("orientation")) if "orientation" in fields_of(image) else 1
            metadata = _metadata(image, head, turned=orientation in exif.TURNED)
            notes, unkept = _notes(image, head), _unkept(image, path)
            image, messages = _plain(image.autorot())
            pixels = image.numpy()
    except pyvips.Error as fault:
        # What the library says differs from one reading of the same file to the next.
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read.") from fault
    except OSError as fault:
        raise PictureError(f"{path}: can't be read ({fault.strerror}).") from fault
    pixels = np.array(pixels.reshape(image.height, image.width, image.bands))
    alpha = None
    if image.bands in (2, 4):
        pixels, alpha = np.ascontiguousarray(pixels[..., :-1]), np.ascontiguousarray(pixels[..., -1])
    compression = read_compression(path, orientation) if head[:2] == b"\xff\xd8" else None
    messages = (*messages, *notes)
    return Source(
        pixels,
        name=path.name,
        alpha=alpha,
        metadata=metadata,
        messages=messages,
        unkept=unkept,
        compression=compression,
    )


def _notes(image: pyvips.Image, head: bytes) -> tuple[str, ...]:
    """Return what is to be said of a file that holds more than is opened."""
    if "n-pages" in fields_of(image) and image.get("n-pages") > 1:
        return ("The file is an animation; its first frame was opened.",)
    if head[:4] == b"\x89PNG" and b"tRNS" in head and head[25] in (0, 2):
        return ("Its one transparent colour was opened as alpha.",)
    return ()


def _unkept(image: pyvips.Image, path: Path) -> tuple[str, ...]:
    """Return what such a file may hold beside its picture that no output keeps."""
    texts = sorted(
        field.split("-", 3)[-1]
        for field in fields_of(image)
        if field.startswith("png-comment-") and not field.endswith((_PNG_IPTC, "XML:com.adobe.xmp"))
    )
    said = [f"Its text notes are left out: {', '.join(texts[:5])}."] if texts else []
    with open(path, "rb") as file:
        head = file.read(_LOOKED_AT)
    if head[:2] == b"\xff\xd8" and _has_comment(head):
        said.append("Its comment is left out.")
    if head[:4] == b"\x89PNG":
        at = head.find(b"gAMA")
        gamma = int.from_bytes(head[at + 4 : at + 8], "big") if at > 0 else _USUAL_GAMMA
        if b"cICP" in head:
            said.append("Its cICP note is left out: its colours are taken for sRGB.")
        if abs(gamma - _USUAL_GAMMA) > _USUAL_GAMMA // 100 and b"iCCP" not in head and b"sRGB" not in head:
            said.append("Its gAMA note is left out: its tones are taken for sRGB.")
    return tuple(said)


def _has_comment(head: bytes) -> bool:
    """Return whether a JPEG has a comment before its picture."""
    at = 2
    while at + 4 <= len(head) and head[at] == 0xFF and head[at + 1] not in (0xD9, 0xDA):
        if head[at + 1] == 0xFE:
            return True
        at += 2 + int.from_bytes(head[at + 2 : at + 4], "big")
    return False


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


def _metadata(image: pyvips.Image, head: bytes, *, turned: bool) -> Metadata:
    fields = set(fields_of(image))
    blocks: dict[str, Any] = {name: bytes(image.get(field)) for name, field in _BLOCKS.items() if field in fields}
    texts = (_text(image, field) for field in fields if field.startswith("png-comment-") and field.endswith(_PNG_IPTC))
    blocks["iptc"] = _unwrap_iptc(blocks.get("iptc", b"") or _from_text(next(texts, "")))
    blocks["exif"] = exif.upright(exif.strip_prefix(blocks.get("exif", b"")))
    blocks["xmp"] = exif.upright_xmp(blocks.get("xmp", b""))
    if image.interpretation == "cmyk":
        blocks.pop("profile", None)
    resolution = _png_resolution(head)
    if "resolution-unit" in fields and (image.xres, image.yres) != (1.0, 1.0):  # what is said when nothing is known
        resolution = (image.xres * _MM_PER_INCH, image.yres * _MM_PER_INCH)
    if turned and resolution:
        resolution = resolution[::-1]
    lossless = b"VP8L" in head  # the picture's own chunk; extended files have it after their profile
    native = ("webp", {"lossless": lossless}) if head[:4] == b"RIFF" else None
    return Metadata(**blocks, resolution=resolution, native=native, **exif.facts(blocks["exif"]))


def _png_resolution(head: bytes) -> tuple[float, float] | None:
    """Return what a PNG file says in its own place, pixels per inch, when it says the unit."""
    at = head.find(b"pHYs") if head[:4] == b"\x89PNG" else -1
    if at < 0 or len(head) < at + 13:
        return None
    across, down, unit = struct.unpack_from(">IIB", head, at + 4)
    return (across * _MM_PER_INCH / 1000, down * _MM_PER_INCH / 1000) if unit == 1 and across and down else None


def _text(image: pyvips.Image, field: str) -> str:
    try:
        return str(image.get(field))
    except (pyvips.Error, UnicodeDecodeError):
        return ""  # a broken note does not cost the picture


def _unwrap_iptc(block: bytes) -> bytes:
    """Return the IPTC records of a resource block, or the block itself when it is not wrapped."""
    at = block.find(exif.RESOURCE[-8:])
    if at < 0:
        return block
    length = int.from_bytes(block[at + 8 : at + 12], "big")
    return block[at + 12 : at + 12 + length]


def _from_text(text: str) -> bytes:
    try:
        return bytes.fromhex("".join(text.split()[2:]))
    except ValueError:
        return b""  # a broken note does not cost the picture


def _reason(fault: pyvips.Error) -> str:
    lines = [line.strip() for line in str(fault.detail).splitlines() if line.strip()]
    return lines[-1] if lines else str(fault.message)


def write(
    path: Path, pixels: np.ndarray, metadata: Metadata, *, saver: str, options: Mapping[str, Any]
) -> tuple[str, ...]:
    """Write H x W x 1 to 4 (last channel alpha when even), uint8 or uint16, by one of the library's savers.

    Returns a sentence for each note that could not be written.
    """
    height, width, bands = pixels.shape
    kind = "uchar" if pixels.dtype == np.uint8 else "ushort"
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels), width, height, bands, kind)
    names = {("uchar", False): "b-w", ("uchar", True): "srgb", ("ushort", False): "grey16", ("ushort", True): "rgb16"}
    changes: dict[str, Any] = {"interpretation": names[kind, bands >= 3]}
    image = image.copy(**changes)
    sound = metadata.profile[36:40] == b"acsp"  # the mark that every profile bears
    if sound:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", metadata.profile)
    save = getattr(image, f"{saver}save_buffer")
    try:
        try:
            data = save(keep="icc", **options)
        except pyvips.Error:
            if not sound:
                raise
            data, sound = save(keep="none", **options), False
    except pyvips.Error as fault:
        raise OSError(_reason(fault)) from fault  # names the target where it is caught
    path.write_bytes(_with_resolution(data, metadata.resolution))
    lost = exif.put(path, metadata)
    return ("Its colour profile is broken: it is left out.", *lost) if metadata.profile and not sound else lost


def _with_resolution(data: bytes, resolution: tuple[float, float] | None) -> bytes:
    """Return a JPEG or PNG file with a picture's resolution (pixels per inch) in its own place, or with none."""
    if data[:2] == b"\xff\xd8":
        if data[2:4] == b"\xff\xe0":
            data = data[:2] + data[4 + int.from_bytes(data[4:6], "big") :]
        unit, density = (1, [round(min(v, 65535)) for v in resolution]) if resolution else (0, [1, 1])
        head = b"JFIF\x00\x01\x01" + struct.pack(">BHHBB", unit, *density, 0, 0)
        return data[:2] + b"\xff\xe0" + struct.pack(">H", len(head) + 2) + head + data[2:]
    if data[:4] == b"\x89PNG":
        at = data.find(b"pHYs", 0, 1 << 20)
        if at > 0:
            data = data[: at - 4] + data[at + 4 + 9 + 4 :]
        if resolution:
            body = b"pHYs" + struct.pack(">IIB", *(round(v / _MM_PER_INCH * 1000) for v in resolution), 1)
            chunk = struct.pack(">I", 9) + body + struct.pack(">I", zlib.crc32(body))
            return data[:_PNG_HEAD] + chunk + data[_PNG_HEAD:]
    return data


def preview(source: Path | bytes, side: int = 1024) -> tuple[np.ndarray, tuple[int, int]] | None:
    """Return a JPEG or WebP file (or its bytes) reduced to about `side` px, upright, and the full size, or None."""
    try:
        data = source if isinstance(source, bytes) else source.read_bytes()
        image, small = pyvips.Image.new_from_buffer(data, ""), pyvips.Image.thumbnail_buffer(data, side)
        size = (image.width, image.height)
        size = size if (size[0] >= size[1]) == (small.width >= small.height) else size[::-1]
        pixels = np.asarray(small.colourspace("srgb").numpy())
    except (pyvips.Error, OSError):
        return None
    return np.ascontiguousarray(pixels.reshape(small.height, small.width, -1)[..., :3]), size


def fields_of(image: pyvips.Image) -> list[str]:
    """Return the names of an image's fields, without those that are not UTF-8: the library can't be asked for these."""
    try:
        return image.get_fields()
    except UnicodeDecodeError:
        names = pyvips.vips_lib.vips_image_get_fields(image.pointer)
        found: list[str] = []
        while names[len(found)] != pyvips.ffi.NULL:
            found.append(pyvips.ffi.string(names[len(found)]).decode("utf-8", "replace"))
            pyvips.glib_lib.g_free(names[len(found) - 1])
        pyvips.glib_lib.g_free(names)
        return [name for name in found if "\ufffd" not in name]
