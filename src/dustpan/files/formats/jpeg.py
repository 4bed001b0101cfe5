"""JPEG: 8 bits, no alpha."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format


class Jpeg(FileKind):
    """JPEG, through libvips."""

    label = "JPEG"
    endings = (".jpg", ".jpeg")
    formats: ClassVar = (Format("jpeg", np.uint8, label="JPEG", suffixes=endings, alpha=False, quality=True),)

    def tells(self, path, head):
        """Return whether the file begins with an image and another marker."""
        return head.startswith(b"\xff\xd8\xff")

    def read(self, path):
        """Read the picture, and how it was compressed."""
        from dustpan.files import vips

        return vips.read(path)

    def preview(self, path):
        """Return the file decoded at a fraction of its size."""
        from dustpan.files import vips

        return vips.preview(path)

    def write(self, path, content, fmt):
        """Write with colours at full size from quality 90 on."""
        from dustpan.files import vips

        options = {"Q": content.quality, "optimize_coding": True}
        options["subsample_mode"] = "off" if content.quality >= 90 else "auto"
        return vips.write(path, content.pixels, content.metadata, saver="jpeg", options=options)
