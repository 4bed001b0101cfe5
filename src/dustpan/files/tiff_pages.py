"""TIFF through tifffile: 8 and 16 bits and 32-bit float, the first page, with all that belongs to it."""

from __future__ import annotations

import logging
import struct
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyvips
import tifffile

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Metadata, Source
from dustpan.files import exif, exif_block
from dustpan.files.limits import NON_FINITE_NOTE, check_size, replace_non_finite
from dustpan.files.vips import fields_of

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
logging.getLogger("tifffile").setLevel(logging.CRITICAL + 1)  # we report what is wrong with a file, in one line
_ALPHA_KINDS = {0: "unspecified", 1: "premultiplied", 2: "straight"}
_WRITTEN_AS = {"unspecified": "unspecified", "premultiplied": "assocalpha", "straight": "unassalpha"}
_CLASSIC = 4_000_000_000  # bytes of pixels up to which a classic TIFF holds them
_FAULTS = (
    tifffile.TiffFileError,
    ValueError,
    OSError,
    IndexError,
    KeyError,
    struct.error,
    RuntimeError,
    TypeError,
    ZeroDivisionError,
    AttributeError,
    OverflowError,
)
_GEO = (33550, 33922, 34264, 34735, 34736, 34737, 42112, 42113)  # tags that place a picture on the earth
_GEO_LEFT_OUT = "Its GeoTIFF tags are left out."
_LAB = 8, 9  # colours by CIE L*a*b*, signed or (as profiles have them) shifted
_PHOTOMETRIC = {0: "white is zero", 1: "grey", 2: "RGB", 3: "palette"}


def read(path: Path) -> Source:
    """Read a TIFF file's first page."""
    try:
        with tifffile.TiffFile(path) as file:
            if len(file.pages) and int(file.pages[0].photometric) in _PHOTOMETRIC:  # type: ignore[union-attr]
                return _read_page(path, file)
            if len(file.pages) and int(file.pages[0].photometric) in _LAB:  # type: ignore[union-attr]
                return _read_lab(path, file)
    except PictureError:
        raise
    except _FAULTS as fault:
        # tifffile has no one error for a damaged file: a wrong number in it surfaces wherever it is used.
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault
    return _read_converted(path)


def _read_page(path: Path, file: tifffile.TiffFile) -> Source:
    page: Any = file.pages[0]
    check_size(path, page.imagewidth, page.imagelength, page.samplesperpixel)
    _check_whole(path, page)
    pixels = page.asarray()
    if page.planarconfig == 2 and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    pixels = pixels.reshape(page.imagelength, page.imagewidth, page.samplesperpixel)
    stored = pixels.dtype
    pixels = _native(path, pixels, page)
    alpha, kind = None, "straight"
    if pixels.shape[2] in (2, 4):
        pixels, alpha = pixels[..., :-1], pixels[..., -1]
        kind = _ALPHA_KINDS.get(int((page.extrasamples or (0,))[0]), "unspecified")
    quarter, mirrored = _TURNS.get(int(_tag(page, "Orientation", 1)), (0, False))
    pixels = _turned(pixels, quarter, mirrored)
    alpha = None if alpha is None else _turned(alpha, quarter, mirrored)
    non_finite = None
    if pixels.dtype.kind == "f":
        pixels, non_finite = replace_non_finite(pixels)
    metadata = _metadata(path, page)
    return Source(
        np.ascontiguousarray(pixels),
        name=path.name,
        alpha=alpha,
        linear=pixels.dtype == np.float32 and not metadata.profile,
        metadata=metadata,
        messages=_notes(file, stored, pixels.dtype, non_finite is not None),
        unkept=(_GEO_LEFT_OUT,) if any(tag in page.tags for tag in _GEO) else (),
        alpha_kind=kind,
        non_finite=non_finite,
    )


def _notes(file: tifffile.TiffFile, stored: np.dtype, opened: np.dtype, non_finite: bool) -> tuple[str, ...]:
    """Return what has to be said of the file."""
    page: Any = file.pages[0]
    widened = page.photometric < 3 and stored.kind == "u" and page.bitspersample not in (1, 8, 16)
    notes = {
        "The file has several pages; the first was opened.": len(file.pages) > 1,
        NON_FINITE_NOTE: non_finite,
        f"Its {page.bitspersample}-bit values were opened as {8 * opened.itemsize}-bit ones.": widened,
        "Its 64-bit values were rounded to 32 bits.": stored == np.float64,
        "Its palette was opened as full colour.": page.photometric == 3,
    }
    return tuple(note for note, holds in notes.items() if holds)


def _read_lab(path: Path, file: tifffile.TiffFile) -> Source:
    """Read a page of L*a*b* colours, 8 or 16 bits, as sRGB of the same depth."""
    page: Any = file.pages[0]
    check_size(path, page.imagewidth, page.imagelength, page.samplesperpixel)
    stored = page.asarray()
    if page.planarconfig == 2 and stored.ndim == 3:
        stored = np.moveaxis(stored, 0, -1)
    if stored.dtype not in (np.uint8, np.uint16) or stored.ndim != 3 or stored.shape[2] < 3:
        raise PictureError(f"{path}: its L*a*b* colours are stored as {stored.dtype}; 8 and 16 bits can be opened.")
    deep = stored.dtype == np.uint16
    unit = 256.0 if deep else 1.0
    lab = stored[..., :3].astype(np.float32)
    lab[..., 0] *= 100 / (65280.0 if deep and page.photometric == 9 else 65535.0 if deep else 255.0)
    if page.photometric == 9:
        lab[..., 1:] = lab[..., 1:] / unit - 128
    else:
        lab[..., 1:] = stored[..., 1:3].view(np.int16 if deep else np.int8) / unit
    height, width = lab.shape[:2]
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(lab), width, height, 3, "float")
    pixels = np.asarray(image.copy(interpretation="lab").colourspace("rgb16" if deep else "srgb").numpy())
    quarter, mirrored = _TURNS.get(int(_tag(page, "Orientation", 1)), (0, False))
    return Source(
        _turned(pixels.astype(stored.dtype), quarter, mirrored),
        name=path.name,
        metadata=replace(_metadata(path, page), profile=b""),
        messages=("Converted from Lab to sRGB.",),
    )


def _read_converted(path: Path) -> Source:
    """Read a page whose colours or compression need a conversion: CMYK, YCbCr, Lab, fax compression."""
    try:
        with open(path, "rb") as file:
            source = pyvips.Source.new_from_descriptor(file.fileno())
            image = pyvips.Image.new_from_source(source, "", fail_on="error")
            check_size(path, image.width, image.height, 3)
            kind = {"cmyk": "CMYK", "lab": "Lab", "labs": "Lab"}.get(image.interpretation)
            if image.interpretation == "cmyk":
                image = image.icc_transform(
                    "srgb", embedded=True, input_profile="cmyk", depth=16 if image.format == "ushort" else 8
                )
            elif kind:
                image = image.colourspace("srgb")
            elif image.format not in ("uchar", "ushort") or image.bands not in (1, 2, 3, 4):
                raise PictureError(f"{path}: the colours are stored as {image.interpretation}; they can't be opened.")
            turned = image.autorot()
            pixels = np.array(turned.numpy().reshape(turned.height, turned.width, turned.bands))
            profile = (
                b"" if kind or "icc-profile-data" not in fields_of(image) else bytes(image.get("icc-profile-data"))
            )
    except pyvips.Error as fault:
        reason = str(fault.detail).strip().splitlines()[-1:] or [fault.message]
        raise PictureError(f"{path}: damaged, or stored in a way that can't be opened ({reason[0]}).") from fault
    alpha = pixels[..., -1].copy() if pixels.shape[2] in (2, 4) else None
    block = exif.from_tiff(path)
    metadata = Metadata(exif=block, profile=profile, **exif.facts(block))
    return Source(
        np.ascontiguousarray(pixels[..., : pixels.shape[2] - (alpha is not None)]),
        name=path.name,
        alpha=alpha,
        metadata=metadata,
        messages=(f"Converted from {kind} to sRGB.",) if kind else (),
    )


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
        for step in (257, 256):  # a palette of 8-bit colours, written in the two ways there are
            if not (palette % step).any():
                return np.ascontiguousarray((pixels // step).astype(np.uint8))
        return np.ascontiguousarray(pixels)
    if pixels.dtype == bool:
        pixels = pixels.astype(np.uint8) * 255
    if pixels.dtype.kind == "f" and pixels.dtype.itemsize in (2, 4, 8):
        with np.errstate(over="ignore"):  # what float32 can't hold becomes infinite, and that is reported
            pixels = pixels.astype(np.float32)
    elif pixels.dtype not in (np.uint8, np.uint16):
        raise PictureError(f"{path}: holds {pixels.dtype} numbers; 8 and 16 bits and floating point can be opened.")
    pixels = pixels.astype(pixels.dtype.newbyteorder("="))
    bits = page.bitspersample
    if pixels.dtype.kind == "u" and 1 < bits < 8 * pixels.dtype.itemsize:
        pixels = _widened(pixels, bits)
    if page.photometric == 0 and pixels.dtype.kind == "u":
        pixels = pixels.copy()
        pixels[..., :1] = np.iinfo(pixels.dtype).max - pixels[..., :1]  # not of an alpha behind it
    return np.ascontiguousarray(pixels)


def _widened(pixels: np.ndarray, bits: int) -> np.ndarray:
    """Return values of fewer bits over the whole range of their type."""
    top, most = np.iinfo(pixels.dtype).max, (1 << bits) - 1
    table = (np.arange(most + 1, dtype=np.int64) * top + most // 2) // most
    return table.astype(pixels.dtype)[np.minimum(pixels, most)]


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
        if int(_tag(page, "Orientation", 1)) in exif.TURNED:
            resolution = resolution[::-1]
    return Metadata(
        exif=block,
        xmp=exif.upright_xmp(_as_bytes(_tag(page, "XMP", b""))),
        iptc=_as_bytes(_tag(page, "IPTCNAA", b"")),
        profile=_as_bytes(_tag(page, "InterColorProfile", b"")),
        resolution=resolution,
        **exif.facts(block),
    )


def _as_bytes(value) -> bytes:
    if isinstance(value, bytes):
        return value
    return np.asarray(value).tobytes() if value is not None else b""


def write(
    path: Path,
    pixels: np.ndarray,
    metadata: Metadata,
    *,
    alpha_kind: str = "straight",
    second: np.ndarray | None = None,
) -> None:
    """Write H x W x 1 to 4 (last channel alpha when even), uint8, uint16 or float32, as a page; `second` as another."""
    options: dict[str, Any] = {"resolution": metadata.resolution, "resolutionunit": 2} if metadata.resolution else {}
    if metadata.profile:
        options["iccprofile"] = metadata.profile
    options |= _layout_of(pixels, alpha_kind)
    wide = second is not None and pixels.nbytes + second.nbytes > _CLASSIC
    write_page(path, _squeezed(pixels), metadata, wide=wide, **options)
    if second is not None:
        tifffile.imwrite(path, _squeezed(second), append=True, metadata=None, software=False, **options)


def _layout_of(pixels: np.ndarray, alpha_kind: str) -> dict[str, Any]:
    """Return how `tifffile.imwrite` lays pixels out."""
    bands = pixels.shape[2]
    return {
        "photometric": "rgb" if bands >= 3 else "minisblack",
        "extrasamples": [_WRITTEN_AS[alpha_kind]] if bands in (2, 4) else None,
        "planarconfig": "contig" if bands > 1 else None,
        "compression": "zlib",
        "predictor": True,
        "rowsperstrip": max(1, (1 << 20) // (pixels[0].nbytes)),
    }


def _squeezed(pixels: np.ndarray) -> np.ndarray:
    return pixels if pixels.shape[2] > 1 else pixels[..., 0]


def write_page(
    path: Path,
    pixels: np.ndarray,
    metadata: Metadata,
    *,
    tags: Sequence[tuple] = (),
    wide: bool = False,
    **options: Any,
) -> None:
    """Write one page with a picture's EXIF, XMP and IPTC, byte for byte.

    wide : whether pointers are wide although this page does not need it.
    options : as `tifffile.imwrite` takes them.
    """
    block = exif_block.Block.read(metadata.exif)
    extra = [*tags, *((tag, kind, count, value, True) for tag, kind, count, value in block.described())]
    extra += [(tag, "B", len(data), data, True) for tag, data in ((700, metadata.xmp), (33723, metadata.iptc)) if data]
    large = (
        wide or pixels.nbytes > _CLASSIC
    )  # such a file has wider pointers, to which a block's directories can't be moved
    directories = [] if large else [d for d in (exif_block.EXIF_IFD, exif_block.GPS_IFD) if block.has(d)]
    # tifffile writes no directory pointers: a private neighbour keeps the place and is renamed afterwards.
    extra += [(directory - 1, "I", 1, 0, True) for directory in directories]
    tifffile.imwrite(
        path,
        pixels,
        extratags=extra,
        byteorder="<" if block.order == "<" else ">",
        bigtiff=large,
        metadata=None,
        software=False,
        **options,
    )
    if directories:
        with tifffile.TiffFile(path) as file:
            page: Any = file.pages[0]
            entries = {d: page.tags[d - 1].offset for d in directories}
        exif_block.append_directories(path, block, entries=entries)
