"""What becomes of a combined picture: files, maps, figures, and a picture to be worked on."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from dustpan.batch.series import Placed, Result, Series
from dustpan.core.filters.file_values import from_light
from dustpan.core.frames.stars import noise_of
from dustpan.core.picture.source import Metadata, Source
from dustpan.core.picture.working import from_working
from dustpan.files.formats import FORMATS
from dustpan.files.save import Format, format_for, save_picture

_ROWS = 256  # that are made ready for a file at once


def save_result(
    result: Result, target: Path, series: Series, *, fmt: Format | None = None, overwrite: bool = False
) -> None:
    """Write a combined picture; linear light stays linear where the format can hold that."""
    source = result.source
    fmt = fmt or format_for(target, np.dtype(np.float32) if source.linear else np.dtype(np.uint16))
    pixels = _stored(result.light, source, fmt.dtype, linear=fmt.is_linear_for(source))
    save_picture(target, pixels, source.metadata, fmt, overwrite=overwrite, sources=series.inputs)


def _stored(light: np.ndarray, source: Source, dtype, *, linear: bool) -> np.ndarray:
    """Return light as a file holds it, linear or by the curve of a source; worked in bands, so that little is held."""
    pixels = np.empty(light.shape, dtype)
    for top in range(0, len(light), _ROWS):
        band = light[top : top + _ROWS]
        pixels[top : top + _ROWS] = from_working(band if linear else from_light(band, source.curve), dtype=dtype)
    return pixels


def save_maps(result: Result, folder: Path, stem: str, series: Series) -> list[Path]:
    """Write where values were left out (their share, 0 to 1) and how many frames reach each pixel; return the files."""
    maps = {"rejected": result.rejected, "coverage": result.coverage.astype(np.float32)}
    files = [folder / f"{stem}-{name}.tif" for name in maps]
    for file, plane in zip(files, maps.values(), strict=True):
        pixels = np.ascontiguousarray(plane[..., None], np.float32)
        save_picture(file, pixels, Metadata(), FORMATS["tiff32"], overwrite=series.overwrite, sources=series.inputs)
    return files


def source_of(result: Result) -> Source:
    """Return a combined picture to be worked on; a photograph's in 16 bits, linear light as it is."""
    source = result.source
    pixels = _stored(result.light, source, np.float32 if source.linear else np.uint16, linear=source.linear)
    metadata = replace(source.metadata, native=None)
    name = f"{len(result.used)} frames combined"
    return Source(pixels, name, source.linear, metadata=metadata, telescope=source.telescope)


def figures_of(result: Result) -> dict:
    """Return the figures of a combination as plain values."""
    used = result.used
    noise = noise_of(np.ascontiguousarray(result.light.mean(axis=2)))
    single = float(np.sqrt(np.mean([(p.level.gain * p.quality.noise) ** 2 for p in used])))
    return {
        "width": result.light.shape[1],
        "height": result.light.shape[0],
        "used": [_told(placed, float(share)) for placed, share in zip(used, result.by_frame, strict=True)],
        "failed": [{"source": str(path), "error": reason} for path, reason in result.failed],
        "noise": {"frame": single, "result": noise, "gain": single / max(noise, 1e-12)},
        "rejected": float(result.rejected.mean()),
        "covered_by_all": float(np.mean(result.coverage == len(used))),
    }


def _told(placed: Placed, rejected: float) -> dict:
    quality = placed.quality
    return {
        "source": str(placed.path),
        "shift": [round(v, 3) for v in quality.shift],
        "angle": round(quality.angle, 4),
        "stars": quality.stars,
        "star_width": round(quality.star_width, 3),
        "sharpness": round(quality.sharpness, 3),
        "background": quality.background,
        "noise": quality.noise,
        "gain": round(placed.level.gain, 4),
        "rejected": round(rejected, 6),
    }
