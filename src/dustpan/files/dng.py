"""Writing a sensor's mosaic as DNG 1.4 (an open specification), through tifffile."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np

from dustpan.core.errors import SaveError
from dustpan.core.picture.source import Metadata, Mosaic
from dustpan.files import raw_mosaic, tiff_pages
from dustpan.files.dng_parts import exchange_mosaic

_CFA = 32803  # photometric interpretation of a mosaic
_D65 = 21  # code of the light that the colour matrix holds for


def write(path: Path, pixels: np.ndarray, mosaic: Mosaic, metadata: Metadata) -> None:
    """Write a mosaic, H x W uint16, uncompressed, with what is needed to develop it."""
    period = mosaic.period
    even = bool((mosaic.black == mosaic.black[0, 0]).all())
    black = mosaic.black[:1, :1] if even else mosaic.black
    neutral = 1 / np.asarray(mosaic.as_shot)
    tags = [
        (274, "H", 1, 1, True),
        (33421, "H", 2, (period, period), True),
        (33422, "B", period * period, tuple(int(v) for v in mosaic.pattern.ravel()), True),
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50707, "B", 4, (1, 1, 0, 0), True),
        (50708, "s", 0, metadata.camera or "unknown camera", True),
        (50710, "B", 3, (0, 1, 2), True),
        (50711, "H", 1, 1, True),
        (50713, "H", 2, black.shape, True),
        (50714, "H", black.size, tuple(int(v) for v in black.ravel()) if black.size > 1 else int(black[0, 0]), True),
        (50717, "I", 1, int(mosaic.white), True),
        (50721, "2i", 9, _rationals(mosaic.xyz_to_camera), True),
        (50728, "2I", 3, _rationals(neutral / neutral.max()), True),
        (50778, "H", 1, _D65, True),
    ]
    tiff_pages.write_page(
        path, pixels, metadata, tags=tags, photometric=_CFA, planarconfig="contig", rowsperstrip=pixels.shape[0]
    )


def write_mended(path: Path, pixels: np.ndarray, mosaic: Mosaic, metadata: Metadata) -> None:
    """Write a mosaic that was read from a raw file: into all else of it when that is a DNG, else into a new one."""
    native = metadata.native
    if native is not None and native[0] == "raw":
        original = Path(native[1]["file"])
        try:
            data = exchange_mosaic(original, raw_mosaic.put_back(original, pixels))
        except OSError as fault:
            raise SaveError(f"{original}: is needed for the DNG and can't be read ({fault.strerror}).") from fault
        if data is not None:
            path.write_bytes(data)
            return
    write(path, pixels, mosaic, metadata)


def _rationals(values) -> tuple[int, ...]:
    fractions = [Fraction(float(v)).limit_denominator(100_000) for v in np.ravel(values)]
    return tuple(n for f in fractions for n in (f.numerator, f.denominator))
