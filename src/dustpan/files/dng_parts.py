"""Exchange the mosaic within a DNG file, and keep every other byte of it.

A DNG is a TIFF: the new mosaic and a new directory for it are appended, and the one pointer to that directory is moved.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np

_CFA = 32803  # photometric interpretation of a mosaic
_DNG_VERSION = 50706
_PHOTOMETRIC, _SUB_DIRECTORIES = 262, 330
#: Of how the old mosaic was stored: strips, tiles, compression, prediction, tables; and checksums of it.
_STORED = (322, 323, 324, 325, 317, 347, 50712, 51111, 50972)
_LONG, _SHORT = 4, 3


@dataclass(frozen=True)
class _Directory:
    """A directory of a TIFF: where it begins, where the pointer to it stands, its 12-byte entries by tag."""

    start: int
    pointer: int
    entries: dict[int, bytes]
    following: bytes


def exchange_mosaic(original: Path, mosaic: np.ndarray) -> bytes | None:
    """Return the bytes of a DNG with another mosaic, or None when the file has none in a directory of its own.

    Parameters
    ----------
    mosaic : h x w uint16, of the size of the old one.
    """
    data = bytearray(original.read_bytes())
    if bytes(data[:4]) not in (b"II*\0", b"MM\0*"):
        return None
    order = "<" if data[:2] == b"II" else ">"
    directories = _directories(data, order)
    if _DNG_VERSION not in directories[0].entries:
        return None
    found = next((d for d in directories if _value(d, _PHOTOMETRIC, order) == _CFA), None)
    height, width = mosaic.shape
    if found is None or (_value(found, 257, order), _value(found, 256, order)) != (height, width):
        return None
    data += b"\0" * (len(data) % 2)
    at = len(data)
    data += mosaic.astype(order + "u2").tobytes()
    entries = {tag: entry for tag, entry in found.entries.items() if tag not in _STORED}
    stored: dict[int, int] = {258: 16, 259: 1, 273: at, 277: 1, 278: height, 279: mosaic.nbytes}
    for tag, value in stored.items():
        kind = _SHORT if tag in (258, 259, 277) else _LONG
        entries[tag] = struct.pack(order + "HHI", tag, kind, 1) + _padded(value, kind, order)
    struct.pack_into(order + "I", data, found.pointer, len(data))
    data += struct.pack(order + "H", len(entries)) + b"".join(entries[tag] for tag in sorted(entries)) + found.following
    return bytes(data)


def _padded(value: int, kind: int, order: str) -> bytes:
    return struct.pack(order + ("I" if kind == _LONG else "Hxx"), value)


def _directories(data: bytearray, order: str) -> list[_Directory]:
    """Return the first directory and those below it."""
    first = _directory(data, order, 4)
    below = first.entries.get(_SUB_DIRECTORIES)
    if below is None:
        return [first]
    count = struct.unpack_from(order + "I", below, 4)[0]
    entry = first.start + 2 + 12 * list(first.entries).index(_SUB_DIRECTORIES)
    pointers = entry + 8 if count == 1 else struct.unpack_from(order + "I", below, 8)[0]
    return [first, *(_directory(data, order, pointers + 4 * n) for n in range(count))]


def _directory(data: bytearray, order: str, pointer: int) -> _Directory:
    start = struct.unpack_from(order + "I", data, pointer)[0]
    count = struct.unpack_from(order + "H", data, start)[0]
    end = start + 2 + 12 * count
    parts = [bytes(data[at : at + 12]) for at in range(start + 2, end, 12)]
    entries = {struct.unpack_from(order + "H", part)[0]: part for part in parts}
    return _Directory(start, pointer, entries, bytes(data[end : end + 4]).ljust(4, b"\0"))


def _value(directory: _Directory, tag: int, order: str) -> int | None:
    """Return a tag's single whole number, or None."""
    entry = directory.entries.get(tag)
    if entry is None:
        return None
    kind, count = struct.unpack_from(order + "HI", entry, 2)
    if count != 1 or kind not in (_SHORT, _LONG):
        return None
    return struct.unpack_from(order + ("H" if kind == _SHORT else "I"), entry, 8)[0]
