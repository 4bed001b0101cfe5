"""FITS: linear light in integers or 32-bit float."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format

_ENDINGS = (".fits", ".fit", ".fts")


class Fits(FileKind):
    """FITS, through astropy."""

    label = "FITS"
    endings = _ENDINGS
    formats: ClassVar = (
        Format(
            "fits", np.float32, label="FITS, linear light", suffixes=_ENDINGS, alpha=False, linear=True, any_depth=True
        ),
    )

    def tells(self, path, head):
        """Return whether the file begins with the first card of FITS."""
        return head.startswith(b"SIMPLE  =")

    def read(self, path):
        """Read the first picture of the file."""
        from dustpan.files import fits_planes

        return fits_planes.read(path)

    def write(self, path, content, fmt):
        """Write with the cards that were read."""
        from dustpan.files import fits_planes

        fits_planes.write(path, content.pixels, content.metadata)
        return ()

    def native(self, source):
        """Return the one way, which keeps any depth."""
        return self.formats[0]
