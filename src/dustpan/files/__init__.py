"""Reading and writing of pictures; the format of a file is recognised by its first bytes, not by its name."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Source
from dustpan.files.formats import ENDINGS, READS, kind_of
from dustpan.files.formats.file_kind import HEAD

__all__ = ["ENDINGS", "READS", "read_picture", "read_preview"]


def _with_known(source: Source) -> Source:
    from dustpan.files.profiles import noise_of_camera, with_known

    known, noise = with_known(source), noise_of_camera(source)
    if noise is not None:
        source = replace(source, camera_noise=noise.to_json())
    return source if known is None else replace(source, known=known)


def _first_bytes(path: Path) -> bytes:
    with open(path, "rb") as file:
        return file.read(HEAD)


def read_preview(path: str | Path) -> tuple[np.ndarray, tuple[int, int]] | None:
    """Return a small preview of a file (h x w x 3 uint8) and the full size, or None where that would be slow."""
    path = Path(path)
    try:
        kind = kind_of(path, _first_bytes(path))
    except OSError:
        return None
    return kind.preview(path) if kind is not None else None


def read_picture(path: str | Path) -> Source:
    """Read a picture file in its native depth, with what is known of its camera: bad pixels, noise.

    Raises
    ------
    PictureError that names the file when it is missing, empty, damaged, too large or of another kind.
    """
    path = Path(path)
    try:
        head = _first_bytes(path)
    except OSError as fault:
        raise PictureError(f"{path}: can't be opened ({fault.strerror}).") from fault
    if not head:
        raise PictureError(f"{path}: the file is empty.")
    kind = kind_of(path, head)
    if kind is None:
        raise PictureError(f"{path}: not a picture that can be opened; {READS} can.")
    return _with_known(kind.read(path))
