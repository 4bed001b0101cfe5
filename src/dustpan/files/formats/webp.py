"""WebP: 8 bits, with alpha."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format


class WebP(FileKind):
    """WebP, through libvips."""

    label = "WebP"
    endings = (".webp",)
    formats: ClassVar = (Format("webp", np.uint8, label="WebP", suffixes=endings, quality=True),)

    def tells(self, path, head):
        """Return whether the file is a RIFF container of WebP."""
        return head[:4] == b"RIFF" and head[8:12] == b"WEBP"

    def read(self, path):
        """Read the picture, of an animation its first frame."""
        from dustpan.files import vips

        return vips.read(path)

    def preview(self, path):
        """Return the file reduced."""
        from dustpan.files import vips

        return vips.preview(path)

    def write(self, path, content, fmt):
        """Write; a picture that was read from a lossless WebP stays lossless."""
        from dustpan.files import vips

        name, facts = content.metadata.native if content.metadata.native else ("", {})
        options: dict[str, Any] = {"Q": content.quality}
        if name == "webp" and facts["lossless"]:
            options = {"lossless": True, "exact": True}
        return vips.write(path, content.pixels, content.metadata, saver="webp", options=options)

    def losses(self, source, fmt):
        """Return what has no place in WebP."""
        return ["WebP has no place for IPTC: it is left out."] if source.metadata.iptc else []
