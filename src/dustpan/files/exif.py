"""EXIF blocks: read what the window shows, reset the orientation in place, turn into and out of TIFF tags."""

from __future__ import annotations

import struct
import warnings
from pathlib import Path

from PIL import Image
from PIL.TiffImagePlugin import ImageFileDirectory_v2

EXIF_IFD, GPS_IFD = 0x8769, 0x8825
ORIENTATION = 0x0112
#: Tags of a TIFF's first directory that describe the picture rather than its storage.
DESCRIPTIVE = (270, 271, 272, 305, 306, 315, 316, 33432)


def strip_prefix(block: bytes) -> bytes:
    """Return an EXIF block without the marker that JPEG puts before its TIFF header."""
    return block[6:] if block.startswith(b"Exif\x00\x00") else block


def load(block: bytes) -> Image.Exif:
    """Parse a block; a broken one gives an empty result, since a picture is worth more than its notes."""
    exif = Image.Exif()
    try:
        with warnings.catch_warnings(action="ignore"):
            exif.load(b"Exif\x00\x00" + block if block else b"")
            exif.get_ifd(EXIF_IFD)
    except (ValueError, SyntaxError, OSError, struct.error, KeyError, TypeError):
        return Image.Exif()
    return exif


def facts(block: bytes) -> dict:
    """Return camera, iso and exposure from a block, as far as they are there."""
    exif = load(block)
    inner = exif.get_ifd(EXIF_IFD) if exif else {}
    make, model = (str(exif.get(tag, "")).strip("\x00 ") for tag in (271, 272))
    iso = inner.get(34855)
    iso = iso[0] if isinstance(iso, tuple) and iso else iso
    seconds = inner.get(33434)
    return {
        "camera": model if not make or model.startswith(make) else f"{make} {model}".strip(),
        "iso": int(iso) if isinstance(iso, int) and iso > 0 else None,
        "exposure": _exposure(seconds),
    }


def _exposure(seconds) -> str:
    try:
        value = float(seconds)
    except (TypeError, ValueError, ZeroDivisionError):
        return ""
    if not 0 < value < 1e5:
        return ""
    return f"1/{round(1 / value)} s" if value < 0.4 else f"{value:g} s"


def reset_orientation(block: bytes) -> bytes:
    """Return the block with its orientation set to upright; all else stays byte for byte."""
    if len(block) < 14 or block[:2] not in (b"II", b"MM"):
        return block
    order = "<" if block[:2] == b"II" else ">"
    start = struct.unpack_from(order + "I", block, 4)[0]
    if start + 2 > len(block):
        return block
    patched = bytearray(block)
    for number in range(struct.unpack_from(order + "H", block, start)[0]):
        entry = start + 2 + 12 * number
        if entry + 12 > len(block):
            break
        if struct.unpack_from(order + "H", block, entry)[0] == ORIENTATION:
            struct.pack_into(order + "H", patched, entry + 8, 1)
    return bytes(patched)


def from_tiff(path: Path) -> bytes:
    """Return the descriptive tags and the EXIF directory of a TIFF file as one block, or nothing."""
    found = Image.Exif()
    try:
        with open(path, "rb") as file, warnings.catch_warnings(action="ignore"):
            held = Image.Exif()
            held.load_from_fp(file)
            for tag in DESCRIPTIVE:
                if tag in held:
                    found[tag] = held[tag]
            for directory in (EXIF_IFD, GPS_IFD):
                if tags := held.get_ifd(directory):
                    found.get_ifd(directory).update(tags)
        return strip_prefix(found.tobytes()) if len(found) or found.get_ifd(EXIF_IFD) else b""
    except (ValueError, SyntaxError, OSError, struct.error, KeyError, TypeError):
        return b""


def append_directories(path: Path, block: bytes, *, entries: dict[int, int]) -> None:
    """Append a block's EXIF and GPS directories to a little-endian TIFF file and point the entries at them.

    entries : where the 12-byte entry stands in the file that is to become each directory's pointer.
    """
    exif = load(block)
    with open(path, "r+b") as file:
        for directory, at in entries.items():
            tags = ImageFileDirectory_v2()
            for tag, value in exif.get_ifd(directory).items():
                tags[tag] = value
            file.seek(0, 2)
            end = file.tell() + file.tell() % 2
            file.seek(end)
            file.write(tags.tobytes(end))
            file.seek(at)
            file.write(struct.pack("<HHII", directory, 4, 1, end))
