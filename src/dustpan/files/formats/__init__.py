"""The file formats: one module each, listed here."""

from __future__ import annotations

from pathlib import Path

from dustpan.files.formats.exr import OpenExr
from dustpan.files.formats.file_kind import Content, FileKind, Format
from dustpan.files.formats.fits import Fits
from dustpan.files.formats.jpeg import Jpeg
from dustpan.files.formats.png import Png
from dustpan.files.formats.raw import Raw
from dustpan.files.formats.tiff import Tiff
from dustpan.files.formats.webp import WebP

__all__ = ["ENDINGS", "FORMATS", "KINDS", "READS", "Content", "FileKind", "Format", "kind_of", "writer_of"]

#: In the order in which a file is asked: raw files before TIFF, whose first bytes some share.
KINDS: tuple[FileKind, ...] = (Jpeg(), Png(), WebP(), Raw(), Tiff(), OpenExr(), Fits())
#: Ways to write a picture, by name, in the order in which they are offered.
FORMATS = {fmt.name: fmt for kind in sorted(KINDS, key=lambda kind: isinstance(kind, Raw)) for fmt in kind.formats}
#: Endings of the files that can be read.
ENDINGS = tuple(ending for kind in KINDS for ending in kind.endings)
#: The formats that can be read, in words.
READS = ", ".join(kind.label for kind in KINDS[:-1]) + " and " + KINDS[-1].label


def kind_of(path: Path, head: bytes) -> FileKind | None:
    """Return the format of a file by its first bytes, or None for an unknown one."""
    return next((kind for kind in KINDS if kind.tells(path, head)), None)


def writer_of(fmt: Format) -> FileKind:
    """Return the file format that a way to write belongs to."""
    return next(kind for kind in KINDS if fmt.name in {own.name for own in kind.formats})
