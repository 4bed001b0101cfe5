"""FITS: one plane or three, integers (also scaled ones) and floating point, linear light, rows from below."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np
from astropy.io import fits
from astropy.io.fits.verify import VerifyError

from dustpan.core.errors import PictureError
from dustpan.core.picture import Metadata, Source
from dustpan.files import exif
from dustpan.files.limits import check_size, sound_numbers

_STRUCTURE = ("SIMPLE", "BITPIX", "NAXIS", "NAXIS1", "NAXIS2", "NAXIS3", "EXTEND", "BSCALE", "BZERO", "XTENSION",
              "PCOUNT", "GCOUNT", "BLANK", "DATAMIN", "DATAMAX", "CHECKSUM", "DATASUM", "ZIMAGE")  # fmt: skip


_DENSITY = ("XDENSITY", "YDENSITY")
_BLOCKS = ("exif", "xmp", "iptc", "profile")  # of other formats: one extension of bytes each


def read(path: Path) -> Source:
    """Read the first picture of a FITS file: H x W, or 3 x H x W."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with fits.open(path, memmap=False) as file:
                return _read_first(path, file)
    except PictureError:
        raise
    except (OSError, ValueError, KeyError, TypeError, IndexError, VerifyError, MemoryError, OverflowError) as fault:
        raise PictureError(f"{path}: damaged or cut short; the picture can't be read ({fault}).") from fault


def _read_first(path: Path, file: fits.HDUList) -> Source:
    pictures = [unit for unit in file if unit.is_image and unit.header.get("NAXIS", 0) >= 2]
    if not pictures:
        raise PictureError(f"{path}: holds no picture (only tables or an empty header).")
    header = pictures[0].header.copy()
    shape = [int(header.get(f"NAXIS{n}", 1)) for n in (1, 2, 3)]
    if header["NAXIS"] > 3 or shape[2] not in (1, 3):
        raise PictureError(
            f"{path}: has {shape[2]} planes in {header['NAXIS']} axes; one or three planes can be opened."
        )
    check_size(path, shape[0], shape[1], shape[2])
    data = np.asarray(pictures[0].data)
    planes = data.reshape(-1, *data.shape[-2:])
    pixels = np.ascontiguousarray(np.moveaxis(planes, 0, -1)[::-1])
    pixels, level, unsound = _native(pixels)
    notes = {
        "The file holds several pictures; the first was opened.": len(pictures) > 1,
        "The file holds values that are no numbers; they were opened as black or white.": unsound,
    }
    seconds = header.get("EXPTIME", header.get("EXPOSURE"))
    blocks = _read_blocks(file)
    density = [header.get(card) for card in _DENSITY]
    facts = exif.facts(blocks.get("exif", b""))
    exposed = f"{float(seconds):g} s" if isinstance(seconds, int | float) and seconds > 0 else facts["exposure"]
    metadata = Metadata(
        native=("fits", {"cards": header.tostring(sep="\n"), "level": level}),
        camera=str(header.get("INSTRUME", "")).strip() or facts["camera"], iso=facts["iso"], exposure=exposed,
        resolution=(float(density[0]), float(density[1])) if all(isinstance(d, int | float) for d in density) else None,
        **blocks,
    )  # fmt: skip
    messages = tuple(note for note, holds in notes.items() if holds)
    return Source(pixels, name=path.name, linear=True, metadata=metadata, messages=messages)


def _read_blocks(file: fits.HDUList) -> dict[str, bytes]:
    """Return the blocks of other formats that extensions of bytes carry along."""
    units = {unit.name: unit for unit in file if unit.is_image and unit.header.get("NAXIS") == 1}
    held = {name: units[name.upper()] for name in _BLOCKS if name.upper() in units}
    return {name: unit.data.tobytes() for name, unit in held.items() if unit.data.dtype == np.uint8}


def _native(pixels: np.ndarray) -> tuple[np.ndarray, float, bool]:
    """Return pixels as uint8, uint16 or float32 of about 0 to 1, what 1 stands for, and whether some were no numbers.

    What 1 stands for is a power of two, so that values come back exactly.
    """
    if pixels.dtype in (np.uint8, np.uint16):
        return pixels.astype(pixels.dtype.newbyteorder("=")), 1.0, False
    values, unsound = sound_numbers(pixels.astype(np.float32))
    top = float(np.abs(values).max(initial=0.0))
    level = 1.0 if top <= 1.5 else 2.0 ** int(np.ceil(np.log2(top)))
    return values / np.float32(level), level, unsound


def write(path: Path, pixels: np.ndarray, metadata: Metadata) -> None:
    """Write H x W x 1 or 3, uint8, uint16 or float32, linear light; the cards of a FITS source are kept."""
    native, kept = metadata.native if metadata.native else ("", {})
    header = fits.Header()
    level = 1.0
    if native == "fits":
        level = kept["level"] if pixels.dtype == np.float32 else 1.0
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
    data = data * np.float32(level) if level != 1 else data
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            units = fits.HDUList([fits.PrimaryHDU(np.ascontiguousarray(data), header), *blocks])
            units.writeto(path, overwrite=True, output_verify="fix")
        except (VerifyError, ValueError) as fault:
            raise OSError(str(fault)) from fault  # names the target where it is caught
