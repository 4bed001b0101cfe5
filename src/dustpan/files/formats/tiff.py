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
    formats: ClassVar = (
        Format("tiff8", np.uint8, label="TIFF, 8 bits", suffixes=_ENDINGS, alpha_kind=""),
        Format("tiff16", np.uint16, label="TIFF, 16 bits", suffixes=_ENDINGS, alpha_kind=""),
        Format("tiff32", np.float32, label="TIFF, 32-bit float", suffixes=_ENDINGS, linear=None, alpha_kind=""),
    )

    def tells(self, path, head):
        """Return whether the file begins as a TIFF of either byte order and size of offset."""
        return head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")

    def read(self, path):
        """Read the first page."""
        from dustpan.files import tiff_pages

        return tiff_pages.read(path)

    def write(self, path, content, fmt):
        """Write one page, with the source's kind of alpha."""
        from dustpan.files import tiff_pages

        tiff_pages.write(path, content.pixels, content.metadata, alpha_kind=content.alpha_kind)
        return ()
