"""Saving a rendered document: one table of formats, native depth kept where nothing was done."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from dustpan.core.errors import SaveError
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.output import Output
from dustpan.core.work.cancel import Check, no_check
from dustpan.files.atomic import save_whole
from dustpan.files.exif import with_size


@dataclass(frozen=True)
class Format(Output):
    """One way to write a picture: what the file holds, and words, endings and whether it has a quality.

    `raw`: it holds a sensor's mosaic, mended by the steps before development.
    """

    label: str = ""
    suffixes: tuple[str, ...] = ()
    quality: bool = False
    raw: bool = False


_TIFF = (".tif", ".tiff")
FORMATS = {
    f.name: f
    for f in (
        Format("jpeg", np.uint8, label="JPEG", suffixes=(".jpg", ".jpeg"), alpha=False, quality=True),
        Format("png", np.uint8, label="PNG, 8 bits", suffixes=(".png",)),
        Format("png16", np.uint16, label="PNG, 16 bits", suffixes=(".png",)),
        Format("tiff8", np.uint8, label="TIFF, 8 bits", suffixes=_TIFF, alpha_kind=""),
        Format("tiff16", np.uint16, label="TIFF, 16 bits", suffixes=_TIFF, alpha_kind=""),
        Format("tiff32", np.float32, label="TIFF, 32-bit float", suffixes=_TIFF, linear=None, alpha_kind=""),
        Format("webp", np.uint8, label="WebP", suffixes=(".webp",), quality=True),
        Format(
            "exr",
            np.float32,
            label="OpenEXR, linear light",
            suffixes=(".exr",),
            linear=True,
            alpha_kind="premultiplied",
        ),
        Format(
            "fits", np.float32, label="FITS, linear light", suffixes=(".fits", ".fit", ".fts"), alpha=False, linear=True
        ),
        Format("dng", np.uint16, label="DNG, the mended mosaic", suffixes=(".dng",), alpha=False, raw=True),
    )
}
DEFAULT_QUALITY = 92
_NEW_DNG = "The maker's own notes are left out: a DNG is made anew from this kind of file."


def format_for(path: Path, native: np.dtype) -> Format:
    """Return the format that a file name asks for, at the depth nearest to the picture's own.

    Raises SaveError when no format has that ending.
    """
    fitting = [f for f in FORMATS.values() if path.suffix.lower() in f.suffixes]
    if not fitting:
        endings = ", ".join(sorted({s for f in FORMATS.values() for s in f.suffixes}))
        raise SaveError(f"{path}: no format is known by the ending '{path.suffix}'; known: {endings}.")
    return next((f for f in fitting if f.dtype == native), fitting[-1])


_BY_ENDING = {".jpg": "jpeg", ".jpeg": "jpeg", ".webp": "webp"}


def own_format(source: Source, path: Path | None) -> Format:
    """Return the format nearest to the one that a picture was read from."""
    native = source.metadata.native
    if native and native[0] in FORMATS:
        return FORMATS[native[0]]
    ending = path.suffix.lower() if path else ""
    if ending in _BY_ENDING:
        return FORMATS[_BY_ENDING[ending]]
    deep = source.pixels.dtype != np.uint8
    if source.pixels.dtype.kind == "f":
        return FORMATS["tiff32"]
    if ending in (".tif", ".tiff") or source.mosaic is not None:
        return FORMATS["tiff16" if deep else "tiff8"]
    return FORMATS["png16" if deep else "png"]


def losses(source: Source, fmt: Format) -> list[str]:
    """Return in sentences what a format can't hold of a picture."""
    lost = []
    own = source.pixels.dtype
    if fmt.raw:
        name, facts = source.metadata.native or ("", {})
        return [] if name == "raw" and facts["file"].suffix.lower() == ".dng" else [_NEW_DNG]
    if source.alpha is not None and not fmt.alpha:
        lost.append(f"{fmt.label} holds no transparency: alpha is left out.")
    if own.itemsize > np.dtype(fmt.dtype).itemsize and source.mosaic is None:
        lost.append(f"Values are rounded from {8 * own.itemsize} to {8 * np.dtype(fmt.dtype).itemsize} bits.")
    if source.linear and fmt.linear is False:
        lost.append("Light over white is cut off.")
    if source.layers and fmt.name != "exr":
        lost.append(f"{len(source.layers)} other channels are left out.")
    if source.metadata.iptc and fmt.name == "webp":
        lost.append("WebP has no place for IPTC: it is left out.")
    return [*lost, *source.unkept]


def save_picture(
    target: Path,
    pixels: np.ndarray,
    metadata: Metadata,
    fmt: Format,
    *,
    quality: int = DEFAULT_QUALITY,
    overwrite: bool = False,
    sources: Iterable[Path] = (),
    layers: Mapping[str, np.ndarray] | None = None,
    alpha_kind: str = "straight",
    check: Check = no_check,
) -> tuple[str, ...]:
    """Write rendered pixels whole or not at all; raises SaveError that names the file.

    Returns a sentence for each note of the metadata that could not be written.

    Parameters
    ----------
    pixels : H x W x 1 to 4, in the format's depth.
    quality : 1 to 100, for formats that have one.
    overwrite : replace a file of that name.
    sources : files that are never written to.
    layers : other planes of the source by name, for formats that hold them.
    alpha_kind : of the source, for formats that say which kind theirs is.
    check : raises to stop before the file is renamed.
    """

    height, width = pixels.shape[:2]
    metadata = replace(metadata, exif=with_size(metadata.exif, width, height)) if metadata.exif else metadata
    lost: list[str] = []

    def write(part: Path) -> None:
        if fmt.name.startswith("tiff"):
            from dustpan.files import tiff

            tiff.write(part, pixels, metadata, alpha_kind=alpha_kind)
        elif fmt.name == "exr":
            from dustpan.files import exr

            exr.write(part, pixels, metadata, layers or {})
        elif fmt.name == "fits":
            from dustpan.files import fits

            fits.write(part, pixels, metadata)
        else:
            from dustpan.files import vips

            saver = fmt.name.removesuffix("16")
            lost.extend(vips.write(part, pixels, metadata, saver=saver, quality=quality))

    save_whole(target, write, overwrite=overwrite, sources=sources, check=check)
    return tuple(lost)


def check_format(target: Path, source: Source, fmt: Format) -> None:
    """Raise SaveError when a format can't hold a picture at all."""
    if fmt.raw and source.mosaic is None:
        raise SaveError(f"{target}: DNG holds a sensor's mosaic, and this picture has none.")


def save_raw(
    target: Path,
    source: Source,
    mosaic: np.ndarray | None = None,
    *,
    overwrite: bool = False,
    sources: Iterable[Path] = (),
    check: Check = no_check,
) -> None:
    """Write a mosaic as DNG, whole or not at all; raises SaveError that names the file.

    Parameters
    ----------
    source : where the mosaic is from; of a DNG all else is kept.
    mosaic : H x W uint16, mended; the source's own by default.
    sources : files that are never written to.
    check : raises to stop before the file is renamed.
    """
    check_format(target, source, FORMATS["dng"])
    assert source.mosaic is not None
    plane, meaning = source.pixels[..., 0] if mosaic is None else mosaic, source.mosaic

    def write(part: Path) -> None:
        from dustpan.files import dng

        dng.write_mended(part, plane, meaning, source.metadata)

    save_whole(target, write, overwrite=overwrite, sources=sources, check=check)
