"""OpenEXR: linear light in 16-bit or 32-bit float, with any other channels."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format


class OpenExr(FileKind):
    """OpenEXR, through its reference library."""

    label = "OpenEXR"
    endings = (".exr",)
    formats: ClassVar = (
        Format(
            "exr",
            np.float32,
            label="OpenEXR, linear light",
            suffixes=endings,
            linear=True,
            alpha_kind="premultiplied",
            layers=True,
        ),
    )

    def tells(self, path, head):
        """Return whether the file has the magic number of OpenEXR."""
        return head[:4] == b"\x76\x2f\x31\x01"

    def read(self, path):
        """Read the part that holds the picture, with its other channels."""
        from dustpan.files import exr_parts

        return exr_parts.read(path)

    def write(self, path, content, fmt):
        """Write the picture and its other channels, each in the type it was read in."""
        from dustpan.files import exr_parts

        exr_parts.write(path, content.pixels, content.metadata, content.layers)
        return ()
