"""Saving a rendered document, whole or not at all, in the format that is asked for or nearest to its own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np

from dustpan.core.errors import SaveError
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.work.cancel import Check, no_check
from dustpan.files.atomic import save_whole
from dustpan.files.exif import with_size
from dustpan.files.formats import FORMATS, KINDS, Content, Format, writer_of
from dustpan.files.formats.file_kind import DEFAULT_QUALITY


def format_for(path: Path, native: np.dtype) -> Format:
    """Return the format that a file name asks for, at the depth nearest to the picture's own.

    Raises SaveError when no format has that ending.
    """
    fitting = [f for f in FORMATS.values() if path.suffix.lower() in f.suffixes]
    if not fitting:
        endings = ", ".join(sorted({s for f in FORMATS.values() for s in f.suffixes}))
        raise SaveError(f"{path}: no format is known by the ending '{path.suffix}'; known: {endings}.")
    return next((f for f in fitting if f.dtype == native), fitting[-1])


_DEEPEST = {np.dtype(np.uint8): "png", np.dtype(np.uint16): "png16", np.dtype(np.float32): "tiff32"}


def own_format(source: Source, path: Path | None) -> Format:
    """Return the format nearest to the one that a picture was read from, and else one that keeps its depth."""
    name = source.metadata.native[0] if source.metadata.native else None
    ending = path.suffix.lower() if path else ""
    for kind in KINDS:
        if name in {fmt.name for fmt in kind.formats} or (name is None and ending in kind.endings):
            found = kind.native(source)
            if found is not None:
                return found
    if source.mosaic is not None:
        return FORMATS["tiff16"]
    return FORMATS[_DEEPEST[source.pixels.dtype]]


def losses(source: Source, fmt: Format) -> list[str]:
    """Return in sentences what a format can't hold of a picture."""
    own, special = source.pixels.dtype, writer_of(fmt).losses(source, fmt)
    if fmt.raw:
        return special
    lost = []
    if source.alpha is not None and not fmt.alpha:
        lost.append(f"{fmt.label} holds no transparency: alpha is left out.")
    if own.itemsize > np.dtype(fmt.dtype).itemsize and source.mosaic is None:
        lost.append(f"Values are rounded from {8 * own.itemsize} to {8 * np.dtype(fmt.dtype).itemsize} bits.")
    if source.linear and fmt.linear is False:
        lost.append("Light over white is cut off.")
    if source.layers and not fmt.layers:
        lost.append(f"{len(source.layers)} other channels are left out.")
    return [*lost, *special, *source.unkept]


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
    original: np.ndarray | None = None,
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
    original : the picture as it came, for formats that hold it as a second page.
    check : raises to stop before the file is renamed.
    """
    height, width = pixels.shape[:2]
    metadata = replace(metadata, exif=with_size(metadata.exif, width, height)) if metadata.exif else metadata
    content = Content(pixels, metadata, quality, layers or {}, alpha_kind, original)
    kind, lost = writer_of(fmt), list[str]()

    def write(part: Path) -> None:
        lost.extend(kind.write(part, content, fmt))

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
