"""Camera raw, which is read, and DNG, to which a mended mosaic is written."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from dustpan.files.formats.file_kind import FileKind, Format

_ENDINGS = """
    .dng .3fr .arw .cr2 .cr3 .crw .dcr .erf .fff .iiq .kdc .mef .mos .mrw
    .nef .nrw .orf .pef .raf .raw .rw2 .rwl .sr2 .srf .srw .x3f
"""
_NEW_DNG = "The maker's own notes are left out: a DNG is made anew from this kind of file."


class Raw(FileKind):
    """Camera raw through LibRaw, DNG (an open specification) through tifffile."""

    label = "camera raw"
    endings = tuple(_ENDINGS.split())
    formats: ClassVar = (
        Format("dng", np.uint16, label="DNG, the mended mosaic", suffixes=(".dng",), alpha=False, raw=True),
    )

    def tells(self, path, head):
        """Return whether the ending is a camera's, or the file has the tag that every DNG has."""
        if path.suffix.lower() in self.endings:
            return True
        if head[:4] not in (b"II*\0", b"MM\0*"):
            return False
        from dustpan.files import raw_mosaic

        return raw_mosaic.is_dng(path)

    def read(self, path):
        """Read the mosaic."""
        from dustpan.files import raw_mosaic

        return raw_mosaic.read(path)

    def preview(self, path):
        """Return the small picture that the file carries, or one made from the mosaic."""
        from dustpan.files import raw_mosaic

        return raw_mosaic.preview(path)

    def native(self, source):
        """Return None: a developed picture is not written as raw unless that is asked for."""
        return None

    def losses(self, source, fmt):
        """Return what a new DNG leaves out; an old one keeps all."""
        name, facts = source.metadata.native if source.metadata.native else ("", {})
        return [] if name == "raw" and facts["file"].suffix.lower() == ".dng" else [_NEW_DNG]
