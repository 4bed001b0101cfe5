"""PNG: 8 or 16 bits, with alpha."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format


class Png(FileKind):
    """PNG, through libvips."""

    label = "PNG"
    endings = (".png",)
    formats: ClassVar = (
        Format("png", np.uint8, label="PNG, 8 bits", suffixes=endings),
        Format("png16", np.uint16, label="PNG, 16 bits", suffixes=endings),
    )

    def tells(self, path, head):
        """Return whether the file has the signature of PNG."""
        return head.startswith(b"\x89PNG\r\n\x1a\n")

    def read(self, path):
        """Read the picture."""
        from dustpan.files import vips

        return vips.read(path)

    def write(self, path, content, fmt):
        """Write, compressed as far as is fast."""
        from dustpan.files import vips

        return vips.write(path, content.pixels, content.metadata, saver="png", options={"compression": 4})
