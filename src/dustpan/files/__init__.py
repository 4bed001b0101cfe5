"""Reading and writing of pictures; the format of a file is told by its first bytes, not by its name.

A format's library is loaded with the first file of its kind.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Source
from dustpan.files.raw_endings import RAW_ENDINGS


def _vips(path: Path) -> Source:
    from dustpan.files import vips

    return vips.read(path)


def _exr(path: Path) -> Source:
    from dustpan.files import exr

    return exr.read(path)


def _fits(path: Path) -> Source:
    from dustpan.files import fits

    return fits.read(path)


def _tiff(path: Path) -> Source:
    from dustpan.files import tiff

    return tiff.read(path)


def _is_raw(path: Path, head: bytes) -> bool:
    from dustpan.files import raw

    return raw.is_raw(path, head)


_LIKE_TIFF = (b"II*\0", b"MM\0*")
_READERS = (
    (lambda head: head.startswith(b"\xff\xd8\xff"), _vips),
    (lambda head: head.startswith(b"\x89PNG\r\n\x1a\n"), _vips),
    (lambda head: head[:4] == b"RIFF" and head[8:12] == b"WEBP", _vips),
    (lambda head: head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), _tiff),
    (lambda head: head[:4] == b"\x76\x2f\x31\x01", _exr),
    (lambda head: head.startswith(b"SIMPLE  ="), _fits),
)
ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".exr", ".fits", ".fit", ".fts", *RAW_ENDINGS)
READS = "JPEG, PNG, TIFF, WebP, OpenEXR, FITS and camera raw"


def _with_known(source: Source) -> Source:
    from dustpan.files.profiles import with_known

    known = with_known(source)
    return source if known is None else replace(source, known=known)


def read_preview(path: str | Path) -> tuple[np.ndarray, tuple[int, int]] | None:
    """Return a small preview of a file (h x w x 3 uint8) and the full size, or None where that would be slow.

    For JPEG and WebP, which can be read reduced, and for raw files, which carry a small picture along.
    """
    path = Path(path)
    try:
        with open(path, "rb") as file:
            head = file.read(16)
    except OSError:
        return None
    if head.startswith(b"\xff\xd8\xff") or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        from dustpan.files import vips

        return vips.preview(path)
    if _is_raw(path, head):
        from dustpan.files import raw

        return raw.preview(path)
    return None


def read_picture(path: str | Path) -> Source:
    """Read a picture file in its native depth, with the pixels that its camera is known to have bad.

    Raises
    ------
    PictureError that names the file when it is missing, empty, damaged, too large or of another kind.
    """
    path = Path(path)
    try:
        with open(path, "rb") as file:
            head = file.read(16)
    except OSError as fault:
        raise PictureError(f"{path}: can't be opened ({fault.strerror}).") from fault
    if not head:
        raise PictureError(f"{path}: the file is empty.")
    for fits, read in _READERS:
        if fits(head) and not (head[:4] in _LIKE_TIFF and _is_raw(path, head)):
            return _with_known(read(path))
    if _is_raw(path, head):
        from dustpan.files import raw

        return _with_known(raw.read(path))
    raise PictureError(f"{path}: not a picture that can be opened; {READS} can.")
