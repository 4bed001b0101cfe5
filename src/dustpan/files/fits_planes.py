"""FITS: one plane or three, integers (also scaled ones) and floating point, linear light, rows from below."""

from __future__ import annotations

import mmap
import warnings
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from astropy.io import fits
from astropy.io.fits.verify import VerifyError

from dustpan.core.errors import PictureError
from dustpan.core.picture.source import Metadata, Source
from dustpan.files import exif
from dustpan.files.limits import NON_FINITE_NOTE, check_size, replace_non_finite

_STRUCTURE = (
    "SIMPLE",
    "BITPIX",
    "NAXIS",
    "NAXIS1",
    "NAXIS2",
    "NAXIS3",
    "EXTEND",
    "BSCALE",
    "BZERO",
    "XTENSION",
    "PCOUNT",
    "GCOUNT",
    "BLANK",
    "DATAMIN",
    "DATAMAX",
    "CHECKSUM",
    "DATASUM",
    "ZIMAGE",
)


_MOST_AXES = 8
_CARD, _AXES = 80, b"NAXIS   ="  # bytes of a header's line, and how the one begins that counts axes
_DENSITY = ("XDENSITY", "YDENSITY")
_BLOCKS = ("exif", "xmp", "iptc", "profile")  # of other formats: one extension of bytes each


def read(path: Path) -> Source:
    """Read the first picture of a FITS file: H x W, or 3 x H x W."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with open(path, "rb") as opened:
                _check_counts(path, opened)
                with fits.open(opened, memmap=False) as file:
                    return _read_first(path, file)
    except (PictureError, MemoryError):
        raise
    except Exception as fault:  # the library has no one error for a damaged file
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault


def _read_first(path: Path, file: fits.HDUList) -> Source:
    _check_axes(path, file)
    pictures = [unit for unit in file if unit.is_image and unit.header.get("NAXIS", 0) >= 2]
    if not pictures:
        raise PictureError(f"{path}: holds no picture (only tables or an empty header).")
    header = pictures[0].header.copy()
    _check_planes(path, header)
    data = np.asarray(pictures[0].data)
    planes = data.reshape(-1, *data.shape[-2:])
    raw = np.ascontiguousarray(np.moveaxis(planes, 0, -1)[::-1], dtype=data.dtype.newbyteorder("="))
    pixels, scale, non_finite = _native(raw)
    exact = raw if raw.dtype not in (np.uint8, np.uint16, np.float32) else None
    notes = {
        "The file holds several pictures; the first was opened.": len(pictures) > 1,
        NON_FINITE_NOTE: non_finite is not None,
        "Its scaled integers are written as floating point.": header.get("BITPIX", -32) > 0 and raw.dtype.kind == "f",
        f"Its {8 * raw.dtype.itemsize}-bit values are worked in 32-bit floating point.": exact is not None
        and raw.dtype.itemsize >= 4,
    }
    native = {"cards": header.tostring(sep="\n"), "scale": scale, "type": raw.dtype.str, "shape": data.shape}
    return Source(
        pixels,
        name=path.name,
        linear=True,
        metadata=_metadata(header, native, _read_blocks(file)),
        messages=tuple(note for note, holds in notes.items() if holds),
        unkept=_unkept(file, pictures[0]),
        non_finite=non_finite,
        exact=exact,
        telescope=True,
    )


def _unkept(file: fits.HDUList, picture: Any) -> tuple[str, ...]:
    """Return what a file holds beside its picture that no output keeps."""
    others = [unit for unit in file[1:] if unit is not picture and unit.name.lower() not in _BLOCKS]
    tables = sum(not unit.is_image for unit in others)
    cards = picture is not file[0] and any(card.keyword not in _STRUCTURE for card in file[0].header.cards)
    said = {
        f"{tables} table{'s' * (tables > 1)} beside the picture {'are' if tables > 1 else 'is'} left out.": tables,
        "The cards of the file's first header are left out.": cards,
    }
    return tuple(text for text, holds in said.items() if holds)


def _check_planes(path: Path, header: fits.Header) -> None:
    """Raise PictureError unless the picture is one plane or three, of a size that can be worked."""
    axes = min(int(header["NAXIS"]), _MOST_AXES)
    shape = [int(header.get(f"NAXIS{n}", 1)) for n in range(1, max(axes, 3) + 1)]
    if header["NAXIS"] > _MOST_AXES or shape[2] not in (1, 3) or any(length != 1 for length in shape[3:]):
        raise PictureError(
            f"{path}: has {shape[2]} planes in {header['NAXIS']} axes; one or three planes can be opened."
        )
    check_size(path, shape[0], shape[1], shape[2])


def _metadata(header: fits.Header, native: dict[str, Any], blocks: dict[str, bytes]) -> Metadata:
    seconds = header.get("EXPTIME", header.get("EXPOSURE"))
    density = [header.get(card) for card in _DENSITY]
    facts = exif.facts(blocks.get("exif", b""))
    exposed = f"{float(seconds):g} s" if isinstance(seconds, int | float) and seconds > 0 else facts["exposure"]
    return Metadata(
        native=("fits", native),
        camera=str(header.get("INSTRUME", "")).strip() or facts["camera"],
        iso=facts["iso"],
        exposure=exposed,
        resolution=(float(density[0]), float(density[1])) if all(isinstance(d, int | float) for d in density) else None,
        **blocks,
    )


def _check_counts(path: Path, opened: BinaryIO) -> None:
    """Raise PictureError where any header counts more axes than FITS has: the library would go over each of them."""
    with mmap.mmap(opened.fileno(), 0, access=mmap.ACCESS_READ) as content:
        at = content.find(_AXES)
        while at >= 0:
            text = content[at + len(_AXES) : at + _CARD].split(b"/")[0].strip()
            if at % _CARD == 0 and not (text.isdigit() and int(text) <= 999):
                raise PictureError(
                    f"{path}: says it has {text[:20].decode('ascii', 'replace')} axes; up to 999 can be."
                )
            at = content.find(_AXES, at + 1)


def _check_axes(path: Path, file: fits.HDUList) -> None:
    """Raise PictureError for axes that no file of this size can fill, before anything is read by them."""
    header = file[0].header
    count = header.get("NAXIS", 0)
    if not isinstance(count, int) or not 0 <= count <= 999:
        raise PictureError(f"{path}: says it has {count} axes; one to three were expected.")
    lengths = [header.get(f"NAXIS{n}", 1) for n in range(1, count + 1)]
    if any(not isinstance(length, int) or length < 0 for length in lengths):
        raise PictureError(f"{path}: the lengths of its axes are not valid ({lengths[:4]}).")
    size = abs(int(header.get("BITPIX", 8))) // 8
    for length in lengths:
        size *= max(length, 1)
    if lengths and size > path.stat().st_size and not header.get("ZIMAGE"):
        raise PictureError(f"{path}: cut short; its axes ask for {size} bytes.")


def _read_blocks(file: fits.HDUList) -> dict[str, bytes]:
    """Return the blocks of other formats that extensions of bytes carry along."""
    units = {unit.name: unit for unit in file if unit.is_image and unit.header.get("NAXIS") == 1}
    found = {name: units[name.upper()] for name in _BLOCKS if name.upper() in units}
    return {name: unit.data.tobytes() for name, unit in found.items() if unit.data.dtype == np.uint8}


def _native(pixels: np.ndarray) -> tuple[np.ndarray, float, tuple[np.ndarray, np.ndarray] | None]:
    """Return pixels as uint8, uint16 or float32 of about 0 to 1, what 1 stands for, and the non-finite values.

    What 1 stands for is a power of two, so that values come back exactly.
    """
    if pixels.dtype in (np.uint8, np.uint16):
        return pixels, 1.0, None
    values, non_finite = replace_non_finite(pixels.astype(np.float32, copy=False))
    top = max(float(values.max(initial=0.0)), -float(values.min(initial=0.0)))
    if top <= 1.5:
        return values, 1.0, non_finite
    scale = 2.0 ** int(np.ceil(np.log2(top)))
    return values / np.float32(scale), scale, non_finite


def write(path: Path, pixels: np.ndarray, metadata: Metadata) -> None:
    """Write H x W x 1 or 3, linear light; the cards and the type of numbers of a FITS source are kept."""
    native, kept = metadata.native if metadata.native else ("", {})
    header = fits.Header()
    scale = 1.0
    if native == "fits":
        scale = kept["scale"] if pixels.dtype == np.float32 else 1.0
        for card in fits.Header.fromstring(kept["cards"], sep="\n").cards:
            if card.keyword not in _STRUCTURE and card.keyword:
                header.append(card, end=True)
    elif metadata.camera:
        header["INSTRUME"] = metadata.camera
    if metadata.resolution:
        for card, value in zip(_DENSITY, metadata.resolution, strict=True):
            header[card] = (float(value), "pixels per inch")
    blocks = [
        fits.ImageHDU(np.frombuffer(block, np.uint8), name=name)
        for name in _BLOCKS
        if (block := getattr(metadata, name))
    ]
    data = np.moveaxis(pixels[::-1], -1, 0)
    data = data[0] if data.shape[0] == 1 else data
    if native == "fits" and pixels.dtype == np.float32:
        kind = np.dtype(kept["type"])
        data = _as_type(data * np.float32(scale) if scale != 1 else data, kind)
        if data.size == np.prod(kept["shape"]):
            data = data.reshape(kept["shape"])
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            units = fits.HDUList([fits.PrimaryHDU(np.ascontiguousarray(data), header), *blocks])
            units.writeto(path, overwrite=True, output_verify="fix")
        except (VerifyError, ValueError) as fault:
            raise OSError(str(fault)) from fault  # names the target where it is caught


def _as_type(values: np.ndarray, kind: np.dtype) -> np.ndarray:
    """Return values in a FITS file's own type, rounded and cut off where these are whole numbers."""
    if kind.kind == "f":
        return values.astype(kind)
    span = np.iinfo(kind)
    return np.clip(np.rint(values.astype(np.float64)), span.min, span.max).astype(kind)
