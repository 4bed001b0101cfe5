"""TIFF through tifffile: 8 and 16 bits and 32-bit float, the first page, with all that belongs to it."""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from dustpan.core.errors import PictureError
from dustpan.core.picture import Metadata, Source
from dustpan.files import exif
from dustpan.files.limits import check_size

_TURNS = {
    1: (0, False),
    2: (0, True),
    3: (2, False),
    4: (2, True),
    5: (3, True),
    6: (3, False),
    7: (1, True),
    8: (1, False),
}
_PHOTOMETRIC = {0: "white is zero", 1: "grey", 2: "RGB", 3: "palette"}


def read(path: Path) -> Source:
    """Read a TIFF file's first page."""
    try:
        with tifffile.TiffFile(path) as file:
            return _read_page(path, file)
    except PictureError:
        raise
    except (tifffile.TiffFileError, ValueError, OSError, IndexError, KeyError, struct.error, RuntimeError, TypeError,
            ZeroDivisionError, MemoryError, AttributeError, OverflowError) as fault:  # fmt: skip
        # tifffile has no one error for a damaged file: a wrong number in it surfaces wherever it is used.
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault


def _read_page(path: Path, file: tifffile.TiffFile) -> Source:
    page: Any = file.pages[0]
    check_size(path, page.imagewidth, page.imagelength, page.samplesperpixel)
    _check_whole(path, page)
    pixels = page.asarray()
    if page.planarconfig == 2 and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    pixels = pixels.reshape(page.imagelength, page.imagewidth, page.samplesperpixel)
    if int(page.photometric) not in _PHOTOMETRIC:
        raise PictureError(f"{path}: the colours are stored as {page.photometric.name}; grey and RGB can be opened.")
    unsound = pixels.dtype.kind == "f" and not np.isfinite(pixels).all()
    pixels = _native(path, pixels, page)
    alpha = None
    if pixels.shape[2] in (2, 4):
        pixels, alpha = pixels[..., :-1], pixels[..., -1]
    quarter, mirrored = _TURNS.get(int(_tag(page, "Orientation", 1)), (0, False))
    pixels = _turned(pixels, quarter, mirrored)
    alpha = None if alpha is None else _turned(alpha, quarter, mirrored)
    metadata = _metadata(path, page)
    notes = {
        "The file has several pages; the first was opened.": len(file.pages) > 1,
        "The file holds values that are no numbers; they were opened as black or white.": unsound,
    }
    messages = tuple(note for note, holds in notes.items() if holds)
    linear = pixels.dtype == np.float32 and not metadata.profile
    return Source(pixels, name=path.name, alpha=alpha, linear=linear, metadata=metadata, messages=messages)


def _check_whole(path: Path, page) -> None:
    """A strip that lies past the end of the file would read as black: say so instead."""
    end = path.stat().st_size
    for offset, count in zip(page.dataoffsets, page.databytecounts, strict=False):
        if offset + count > end:
            raise PictureError(f"{path}: cut short; part of the picture lies past the end of the file.")


def _native(path: Path, pixels: np.ndarray, page) -> np.ndarray:
    """Return uint8, uint16 or float32 in this machine's byte order."""
    if page.photometric == 3:
        palette = np.asarray(page.colormap)
        pixels = np.moveaxis(palette, 0, -1)[pixels[..., 0]]
    if pixels.dtype == bool:
        pixels = pixels.astype(np.uint8) * 255
    if pixels.dtype.kind == "f" and pixels.dtype.itemsize in (2, 4, 8):
        pixels = pixels.astype(np.float32)
        if not np.isfinite(pixels).all():
            pixels = np.nan_to_num(pixels, nan=0.0, posinf=1.0, neginf=0.0)
    elif pixels.dtype not in (np.uint8, np.uint16):
        raise PictureError(f"{path}: holds {pixels.dtype} numbers; 8 and 16 bits and floating point can be opened.")
    pixels = np.ascontiguousarray(pixels.astype(pixels.dtype.newbyteorder("=")))
    if page.photometric == 0 and pixels.dtype.kind == "u":
        pixels = np.iinfo(pixels.dtype).max - pixels
    return pixels


def _turned(pixels: np.ndarray, quarter: int, mirrored: bool) -> np.ndarray:
    turned = np.rot90(pixels, quarter)
    return np.ascontiguousarray(turned[:, ::-1] if mirrored else turned)


def _tag(page, name: str, default):
    tag = page.tags.get(name)
    return default if tag is None else tag.value


def _metadata(path: Path, page) -> Metadata:
    block = exif.from_tiff(path)
    resolution = None
    unit = int(_tag(page, "ResolutionUnit", 2))
    across, down = _tag(page, "XResolution", None), _tag(page, "YResolution", None)
    if across and down and across[1] and down[1] and unit in (2, 3):
        scale = 2.54 if unit == 3 else 1.0
        resolution = (across[0] / across[1] * scale, down[0] / down[1] * scale)
    return Metadata(
        exif=block,
        xmp=_as_bytes(_tag(page, "XMP", b"")),
        iptc=_as_bytes(_tag(page, "IPTCNAA", b"")),
        profile=_as_bytes(_tag(page, "InterColorProfile", b"")),
        resolution=resolution,
        **exif.facts(block),
    )


def _as_bytes(value) -> bytes:
    if isinstance(value, bytes):
        return value
    return np.asarray(value).tobytes() if value is not None else b""


def write(path: Path, pixels: np.ndarray, metadata: Metadata) -> None:
    """Write H x W x 1 to 4 (last channel alpha when even), uint8, uint16 or float32, as one page."""
    bands = pixels.shape[2]
    block = exif.load(metadata.exif)
    tags: list[tuple[int, str, int, Any, bool]] = [
        (tag, "s", 0, str(block[tag]), True) for tag in exif.DESCRIPTIVE if tag in block and tag != 305
    ]
    if metadata.xmp:
        tags.append((700, "B", len(metadata.xmp), metadata.xmp, True))
    if metadata.iptc:
        tags.append((33723, "B", len(metadata.iptc), metadata.iptc, True))
    directories = [d for d in (exif.EXIF_IFD, exif.GPS_IFD) if block.get_ifd(d)]
    # tifffile writes no directory pointers: a private neighbour keeps the place and is renamed afterwards.
    tags += [(directory - 1, "I", 1, 0, True) for directory in directories]
    options: dict[str, Any] = {"resolution": metadata.resolution, "resolutionunit": 2} if metadata.resolution else {}
    if metadata.profile:
        options["iccprofile"] = metadata.profile
    tifffile.imwrite(
        path, pixels if bands > 1 else pixels[..., 0], photometric="rgb" if bands >= 3 else "minisblack",
        extrasamples=["unassalpha"] if bands in (2, 4) else None, planarconfig="contig" if bands > 1 else None,
        compression="zlib", predictor=True, extratags=tags, byteorder="<", bigtiff=False, metadata=None,
        software=str(block.get(305, "")) or False, rowsperstrip=max(1, (1 << 20) // (pixels[0].nbytes)), **options,
    )  # fmt: skip
    if directories:
        with tifffile.TiffFile(path) as file:
            page: Any = file.pages[0]
            entries = {d: page.tags[d - 1].offset for d in directories}
        exif.append_directories(path, metadata.exif, entries=entries)
