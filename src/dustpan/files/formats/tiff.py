"""TIFF: 8 or 16 bits or 32-bit float, with alpha."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format

_ENDINGS = (".tif", ".tiff")


class Tiff(FileKind):
    """TIFF and BigTIFF, through tifffile."""

    label = "TIFF"
    endings = _ENDINGS
    formats: ClassVar = tuple(
        Format(name, dtype, label=f"TIFF, {words}", suffixes=_ENDINGS, linear=linear, alpha_kind="", pages=True)
        for name, dtype, words, linear in (
            ("tiff8", np.uint8, "8 bits", False),
            ("tiff16", np.uint16, "16 bits", False),
            ("tiff32", np.float32, "32-bit float", None),
        )
    )

    def tells(self, path, head):
        """Return whether the file begins as a TIFF of either byte order and size of offset."""
        return head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")

    def read(self, path):
        """Read the first page."""
        from dustpan.files import tiff_pages

        return tiff_pages.read(path)

    def write(self, path, content, fmt):
        """Write one page, with the source's kind of alpha, and perhaps the original as a second one."""
        from dustpan.files import tiff_pages

        kind, original = content.alpha_kind, content.original
        tiff_pages.write(path, content.pixels, content.metadata, alpha_kind=kind, second=original)
        return ()
