"""EXIF, XMP and IPTC through exiv2: read what the window shows, turn upright, put into a file that was written.

A block is what JPEG files carry: a small TIFF structure, without the marker before it. The library keeps state of its
own behind XMP, so one thread uses it at a time.
"""

from __future__ import annotations

import re
import struct
import threading
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import exiv2
import pyvips

from dustpan.core.picture.source import Metadata
from dustpan.files.exif_block import EXIF_IFD

ORIENTATION = "Exif.Image.Orientation"
TURNED = (5, 6, 7, 8)  # orientations that exchange rows and columns
#: Tags of a TIFF's first directory that describe the picture rather than its storage.
DESCRIPTIVE = (
    "ImageDescription",
    "Make",
    "Model",
    "Software",
    "DateTime",
    "Artist",
    "HostComputer",
    "Copyright",
    "Rating",
    "RatingPercent",
    "XPTitle",
    "XPComment",
    "XPAuthor",
    "XPKeywords",
    "XPSubject",
)
_STORAGE_GROUPS = ("Image2", "Image3", "SubImage1", "SubImage2", "SubImage3", "SubImage4", "SubThumb1", "Thumbnail")
_LARGEST = 1 << 30  # bytes of a file whose notes are looked for
_FAULTS = (exiv2.Exiv2Error, ValueError, TypeError, IndexError, OverflowError)
#: How JPEG files wrap IPTC records: the marker of a resource list, then one entry, number 0x0404, without a name.
RESOURCE = bytes.fromhex("50686f746f73686f7020332e3000 3842494d 0404 0000")
_lock = threading.RLock()
exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)
exiv2.XmpParser.initialize()


def strip_prefix(block: bytes) -> bytes:
    """Return an EXIF block without the marker that JPEG puts before its TIFF header."""
    return block[6:] if block.startswith(b"Exif\x00\x00") else block


def _open(data: bytes) -> Any:
    image = exiv2.ImageFactory.open(data)
    image.readMetadata()
    return image


def _bytes_of(image: Any) -> bytes:
    stream = image.io()
    stream.open()
    try:
        return bytes(stream.mmap())
    finally:
        stream.munmap()
        stream.close()


def _with_data(block: bytes, use: Callable[[Any], Any], fallback: Any) -> Any:
    """Return what `use` makes of a block's tags; a broken block gives the fallback, as a picture is worth more."""
    if not block:
        return fallback
    with _lock:
        try:
            return use(_open(block).exifData())
        except _FAULTS:
            return fallback


def _block_of(tags: Any) -> bytes:
    """Return tags as a block; empty when there are none or they are larger than a block can be."""
    if tags.empty():
        return b""
    image = exiv2.ImageFactory.create(exiv2.ImageType.jpeg)
    image.setExifData(tags)
    try:
        image.writeMetadata()
    except exiv2.Exiv2Error:
        return b""
    data = _bytes_of(image)
    start = data.find(b"Exif\x00\x00")
    length = int.from_bytes(data[start - 2 : start], "big")
    return data[start + 6 : start - 2 + length]


def make_block(values: dict[str, str]) -> bytes:
    """Return a block with tags by key, as `Exif.Photo.FNumber`, and their values as text."""
    with _lock:
        tags = exiv2.ExifData()
        for key, value in values.items():
            tags[key] = value
        return _block_of(tags)


def facts(block: bytes) -> dict:
    """Return camera, iso and exposure from a block, as far as they are there."""
    return _with_data(block, _facts, {"camera": "", "iso": None, "exposure": ""})


def _facts(tags: Any) -> dict:
    def text(key: str) -> str:
        found = tags.findKey(exiv2.ExifKey(key))
        return "" if found == tags.end() else " ".join(found.toString().replace("\x00", "").split())

    make, model = text("Exif.Image.Make"), text("Exif.Image.Model")
    iso = re.match(r"\d{1,9}", text("Exif.Photo.ISOSpeedRatings"))
    return {
        "camera": model if not make or model.startswith(make) else f"{make} {model}".strip(),
        "iso": int(iso.group()) or None if iso else None,
        "exposure": _exposure(text("Exif.Photo.ExposureTime")),
    }


def _exposure(text: str) -> str:
    top, _, below = text.partition("/")
    try:
        value = float(top) / float(below or 1)
    except (ValueError, ZeroDivisionError):
        return ""
    if not 0 < value < 1e5:
        return ""
    return f"1/{round(1 / value)} s" if value < 0.4 else f"{value:g} s"


def upright(block: bytes) -> bytes:
    """Return a block of a picture that was turned upright: its orientation is 1, its thumbnail turned too."""

    def turn(tags: Any) -> bytes:
        found = tags.findKey(exiv2.ExifKey(ORIENTATION))
        if found == tags.end() or found.toInt64() in (0, 1):
            return block
        orientation = found.toInt64()
        tags[ORIENTATION] = exiv2.UShortValue(1)
        if orientation in TURNED:
            _exchange(tags, "Exif.Image.XResolution", "Exif.Image.YResolution")
        thumb = exiv2.ExifThumb(tags)
        small = bytes(thumb.copy().data())
        if small:
            turned = _turned_thumbnail(small, orientation)
            thumb.setJpegThumbnail(turned) if turned else thumb.erase()
        return _block_of(tags) or block

    return _with_data(block, turn, block)


_WIDTH, _HEIGHT = 0xA002, 0xA003  # of the picture, in the EXIF directory


def with_size(block: bytes, width: int, height: int) -> bytes:
    """Return a block with the size of the picture it goes with, where it holds one; all else byte for byte."""
    data = bytearray(block)
    order = "<" if block[:2] == b"II" else ">"
    try:
        first = struct.unpack_from(order + "I", data, 4)[0]
        pointers = dict(_entries(data, order, first))
        at = struct.unpack_from(order + "I", data, pointers[EXIF_IFD] + 8)[0]
        for tag, entry in _entries(data, order, at):
            if tag in (_WIDTH, _HEIGHT):
                struct.pack_into(order + "HII", data, entry + 2, 4, 1, width if tag == _WIDTH else height)
    except (struct.error, KeyError):
        return block
    return bytes(data)


def _entries(data: bytearray, order: str, at: int) -> Iterator[tuple[int, int]]:
    """Yield the tag and the position of each entry of a directory."""
    for number in range(min(struct.unpack_from(order + "H", data, at)[0], 512)):
        entry = at + 2 + 12 * number
        yield struct.unpack_from(order + "H", data, entry)[0], entry


def _turned_thumbnail(data: bytes, orientation: int) -> bytes:
    try:
        image = pyvips.Image.new_from_buffer(data, "").copy()
        image.set_type(pyvips.GValue.gint_type, "orientation", orientation)
        return image.autorot().jpegsave_buffer(keep="none", Q=85)
    except pyvips.Error:
        return b""


def _exchange(tags: Any, first: str, other: str) -> None:
    """Exchange the values of two tags, where both are there."""
    found = [tags.findKey(exiv2.ExifKey(key)) for key in (first, other)]
    if tags.end() not in found:
        values = [item.value().clone() for item in found]
        tags[first], tags[other] = values[1], values[0]


_XMP_TURN = (
    re.compile(rb'(tiff:Orientation\s*=\s*["\'])[2-8](["\'])'),
    re.compile(rb"(<tiff:Orientation>\s*)[2-8](\s*<)"),
)


def upright_xmp(packet: bytes) -> bytes:
    """Return an XMP packet of a picture that was turned upright; all else stays byte for byte."""
    for pattern in _XMP_TURN:
        packet = pattern.sub(rb"\g<1>1\g<2>", packet)
    return packet


def from_tiff(path: Path) -> bytes:
    """Return what describes the picture in a TIFF-like file as one block, or nothing."""
    with _lock:
        try:
            if path.stat().st_size > _LARGEST:
                return b""
            found = _open(path.read_bytes()).exifData()
            kept = exiv2.ExifData()
            for item in found:
                if _describes(item):
                    kept[item.key()] = item.getValue()
            return _block_of(kept)
        except (*_FAULTS, OSError):
            return b""


def _describes(item: Any) -> bool:
    group = item.groupName()
    if group == "Image":
        return item.tagName() in DESCRIPTIVE
    return group not in _STORAGE_GROUPS


def put(path: Path, metadata: Metadata) -> tuple[str, ...]:
    """Put a picture's EXIF, XMP and IPTC into a JPEG, PNG or WebP file (WebP has no place for IPTC).

    Returns a sentence for each that could not be written, as it is broken or too large: the picture is worth more.
    """
    blocks = {"EXIF": metadata.exif, "XMP": metadata.xmp, "IPTC": metadata.iptc}
    given = {name: block for name, block in blocks.items() if block}
    if not given:
        return ()
    with _lock:
        plain = path.read_bytes()
        data = _with_notes(plain, given)
        if data is None:  # some of them: found one after the other
            data, kept = plain, dict[str, bytes]()
            for name, block in given.items():
                more = _with_notes(plain, kept | {name: block})
                if more is not None:
                    data, kept = more, kept | {name: block}
            given = {name: block for name, block in given.items() if name not in kept}
        else:
            given = {}
    path.write_bytes(data)
    return tuple(f"Its {name} is broken or too large for this format: it is left out." for name in given)


def _with_notes(data: bytes, blocks: Mapping[str, bytes]) -> bytes | None:
    """Return a file with notes put in, or None where the library can't write them or leaves some out unsaid."""
    try:
        image = _open(data)
        if "EXIF" in blocks:
            image.setExifData(_open(blocks["EXIF"]).exifData())
        if "XMP" in blocks:
            image.setXmpPacket(blocks["XMP"].decode("utf-8", "replace"))
            image.writeXmpFromPacket(True)
        if "IPTC" in blocks:
            image.setIptcData(_open(_with_records(blocks["IPTC"])).iptcData())
        image.writeMetadata()
        written = _bytes_of(image)
        again = _open(written)
    except _FAULTS:
        return None
    lost = ("EXIF" in blocks and again.exifData().empty()) or ("XMP" in blocks and not again.xmpPacket())
    return None if lost else written


def _with_records(records: bytes) -> bytes:
    """Return an empty JPEG file that holds IPTC records, from which the library can read them."""
    empty = _bytes_of(exiv2.ImageFactory.create(exiv2.ImageType.jpeg))
    resource = RESOURCE + len(records).to_bytes(4, "big") + records + b"\x00" * (len(records) % 2)
    return empty[:2] + b"\xff\xed" + (len(resource) + 2).to_bytes(2, "big") + resource + empty[2:]
