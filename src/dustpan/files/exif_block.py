"""The directories of an EXIF block, byte by byte, for files that keep them among their own."""

from __future__ import annotations

import struct
from pathlib import Path

#: Tags that lead to other directories.
EXIF_IFD, GPS_IFD, _INTEROP_IFD = 0x8769, 0x8825, 0xA005
# Of the main directory, that say something of the picture and not of how it is stored.
_DESCRIPTIVE_TAGS = (270, 271, 272, 305, 306, 315, 316, 33432, 18246, 18249, 40091, 40092, 40093, 40094, 40095)
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}  # bytes of a value, by its type


class Block:
    """The directories of a block, byte for byte: letters of any kind come through."""

    def __init__(self, data: bytes):
        self.data = data
        self.order = "<" if data[:2] == b"II" else ">"
        self.tags = self._directory(struct.unpack_from(self.order + "I", data, 4)[0]) if len(data) >= 8 else {}

    @classmethod
    def read(cls, data: bytes) -> Block:
        """Return a block; a broken one has no tags."""
        try:
            return cls(data)
        except struct.error:
            return cls(b"")

    def _directory(self, at: int) -> dict[int, tuple[int, int, bytes]]:
        """Return type, count and value bytes of each tag of a directory."""
        count = struct.unpack_from(self.order + "H", self.data, at)[0]
        tags = {}
        for number in range(min(count, 512)):
            entry = at + 2 + 12 * number
            tag, kind, length = struct.unpack_from(self.order + "HHI", self.data, entry)
            size = _SIZES.get(kind, 0) * length
            start = entry + 8 if size <= 4 else struct.unpack_from(self.order + "I", self.data, entry + 8)[0]
            if size and start + size <= len(self.data):
                tags[tag] = (kind, length, self.data[start : start + size])
        return tags

    def described(self) -> list[tuple[int, int, int, bytes]]:
        """Return the tags that describe the picture: number, type, count, value bytes."""
        return [(tag, *self.tags[tag]) for tag in _DESCRIPTIVE_TAGS if tag in self.tags]

    def has(self, directory: int) -> bool:
        """Return whether a directory of its own hangs on that tag."""
        return directory in self.tags

    def directory(self, tag: int, base: int) -> bytes:
        """Return the directory that hangs on a tag, made to stand at byte `base` of another file, with its values."""
        try:
            tags = self._directory(struct.unpack(self.order + "I", self.tags[tag][2])[0])
        except (struct.error, KeyError):
            tags = {}
        nested = tags.pop(_INTEROP_IFD, None)
        entries, values = [], b""
        end = base + 2 + 12 * (len(tags) + (nested is not None)) + 4
        for number, (kind, length, value) in sorted(tags.items()):
            if len(value) <= 4:
                entries.append(struct.pack(self.order + "HHI", number, kind, length) + value.ljust(4, b"\x00"))
            else:
                entries.append(struct.pack(self.order + "HHII", number, kind, length, end + len(values)))
                values += value + b"\x00" * (len(value) % 2)
        if nested is not None:
            entries.append(struct.pack(self.order + "HHII", _INTEROP_IFD, 4, 1, end + len(values)))
            values += Block._hung(self, nested, end + len(values))
        head = struct.pack(self.order + "H", len(entries))
        return head + b"".join(entries) + struct.pack(self.order + "I", 0) + values

    def _hung(self, pointer: tuple[int, int, bytes], base: int) -> bytes:
        inner = Block.__new__(Block)
        inner.data, inner.order, inner.tags = self.data, self.order, {0: pointer}
        return inner.directory(0, base)


def append_directories(path: Path, block: Block, *, entries: dict[int, int]) -> None:
    """Append a block's directories to a TIFF file of the same byte order and point the entries at them.

    Parameters
    ----------
    entries : position in the file of the 12-byte entry that is to become each directory's pointer.
    """
    with open(path, "r+b") as file:
        for tag, at in entries.items():
            file.seek(0, 2)
            file.write(b"\x00" * (file.tell() % 2))
            end = file.tell()
            file.write(block.directory(tag, end))
            file.seek(at)
            file.write(struct.pack(block.order + "HHII", tag, 4, 1, end))
