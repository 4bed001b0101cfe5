"""Saving a rendered document: one table of formats, native depth kept where nothing was done."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from dustpan.core.errors import SaveError
from dustpan.core.filters.colour import decode_curve, encode_curve
from dustpan.core.picture.source import Metadata, Source, from_working, to_working
from dustpan.core.render.engine import Engine, Plan, blocks_of
from dustpan.core.work.pool import Pool, Priority, Token
from dustpan.files.atomic import save_whole


@dataclass(frozen=True)
class Format:
    """One way to write a picture: name, words, endings, depth and whether alpha and quality go with it.

    linear : whether it holds linear light; None as a 32-bit float TIFF, which does without a profile. alpha_kind : the
    kind of alpha that it holds, or nothing where the file says which.
    """

    name: str
    label: str
    suffixes: tuple[str, ...]
    dtype: type
    alpha: bool = True
    quality: bool = False
    linear: bool | None = False
    alpha_kind: str = "straight"

    def of(self, source: Source) -> Format:
        """Return the format in the depth that suits a source: FITS keeps the integers of a FITS file."""
        native = source.metadata.native
        same = self.name == "fits" and native is not None and native[0] == "fits"
        return replace(self, dtype=source.pixels.dtype.type) if same else self


FORMATS = {
    f.name: f
    for f in (
        Format("jpeg", "JPEG", (".jpg", ".jpeg"), np.uint8, alpha=False, quality=True),
        Format("png", "PNG, 8 bits", (".png",), np.uint8),
        Format("png16", "PNG, 16 bits", (".png",), np.uint16),
        Format("tiff8", "TIFF, 8 bits", (".tif", ".tiff"), np.uint8, alpha_kind=""),
        Format("tiff16", "TIFF, 16 bits", (".tif", ".tiff"), np.uint16, alpha_kind=""),
        Format("tiff32", "TIFF, 32-bit float", (".tif", ".tiff"), np.float32, linear=None, alpha_kind=""),
        Format("webp", "WebP", (".webp",), np.uint8, quality=True),
        Format("exr", "OpenEXR, linear light", (".exr",), np.float32, linear=True, alpha_kind="premultiplied"),
        Format("fits", "FITS, linear light", (".fits", ".fit", ".fts"), np.float32, alpha=False, linear=True),
    )
}
DEFAULT_QUALITY = 92


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
    if source.alpha is not None and not fmt.alpha:
        lost.append(f"{fmt.label} holds no transparency: alpha is left out.")
    if own.itemsize > np.dtype(fmt.dtype).itemsize and source.mosaic is None:
        lost.append(f"Values are rounded from {8 * own.itemsize} to {8 * np.dtype(fmt.dtype).itemsize} bits.")
    if source.linear and fmt.linear is False:
        lost.append("Light over white is cut off.")
    if source.layers and fmt.name != "exr":
        lost.append(f"{len(source.layers)} other channels are left out.")
    return lost


def render_native(
    engine: Engine,
    plan: Plan,
    fmt: Format,
    *,
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> np.ndarray:
    """Return the whole picture in a format's depth, H x W x 1 to 4; without stages, the source's own values."""
    token = token or Token()
    source = engine.source
    fmt = fmt.of(source)
    linear = _stays_linear(source) if fmt.linear is None else fmt.linear
    untouched = not plan.stages and plan.base.key == source.key
    same_alpha = source.alpha is None or not fmt.alpha or fmt.alpha_kind in ("", _kind(source))
    native = source.metadata.native
    if untouched and source.exact is not None and native is not None and native[0] == fmt.name and source.alpha is None:
        return source.exact  # what 32-bit floating point can't hold is written as it was read
    if untouched and source.pixels.dtype == fmt.dtype and linear == source.linear and same_alpha:
        colour = _with_unsound(source.pixels, source)
    else:
        change = None if same_alpha else fmt.alpha_kind
        colour = _convert_blocks(engine, plan, fmt, linear, change, pool, token, progress)
        if fmt.dtype == np.float32 and source.unsound is not None and linear == source.linear:
            colour = _with_unsound(colour, source)
    return _with_alpha(colour, source.alpha, fmt)


def _kind(source: Source) -> str:
    """Return what kind of alpha a picture is treated as having: what is not said is straight."""
    return "premultiplied" if source.alpha_kind == "premultiplied" else "straight"


def _with_unsound(colour: np.ndarray, source: Source) -> np.ndarray:
    """Return pixels with infinite values, and what was no number, put back where no step has changed them."""
    if source.unsound is None or colour.shape != source.pixels.shape:
        return colour
    places, values = source.unsound
    same = np.isclose(colour.ravel()[places], source.pixels.ravel()[places], rtol=1e-5, atol=1e-6)
    whole = np.array(colour)
    whole.ravel()[places[same]] = values[same]
    return whole


def _stays_linear(source) -> bool:
    """A float file without a profile holds linear light, so that is what one is written with."""
    return source.linear or not source.metadata.profile


def _convert_blocks(engine, plan, fmt, linear, alpha_kind, pool, token, progress) -> np.ndarray:
    source = engine.source
    channels = 1 if source.grey else 3
    whole = np.empty((source.height, source.width, channels), fmt.dtype)
    regions = list(blocks_of(plan.size))

    def one(region):
        x0, y0, x1, y1 = region
        working = engine.render(plan, region, check=token.check)
        if alpha_kind is not None:
            working = _with_alpha_kind(working, source, region, alpha_kind)
        if channels == 1:
            working = working.mean(axis=2, keepdims=True)
        whole[y0:y1, x0:x1] = from_working(working, dtype=fmt.dtype, linear=linear)

    waiting: list[Future] = []
    if pool is not None:
        waiting = [pool.submit(lambda r=r: one(r), priority=Priority.EXPORT, token=token) for r in regions]
    try:
        for number, region in enumerate(regions):
            if waiting:
                waiting[number].result()
            else:
                token.check()
                one(region)
            progress((number + 1) / len(regions))
    except BaseException:
        token.cancel()
        raise
    return whole


def _with_alpha_kind(working: np.ndarray, source: Source, region, kind: str) -> np.ndarray:
    """Return working pixels multiplied by alpha, or divided by it, in the values that the file multiplies."""
    x0, y0, x1, y1 = region
    assert source.alpha is not None
    alpha = to_working(source.alpha[y0:y1, x0:x1, None])[..., :1]
    values = decode_curve(working) if source.linear else working
    if kind == "premultiplied":
        values = values * alpha
    else:
        values = np.where(alpha > 0, values / np.maximum(alpha, np.float32(1e-6)), 0).astype(np.float32)
    return encode_curve(values) if source.linear else values


def _with_alpha(colour: np.ndarray, alpha: np.ndarray | None, fmt: Format) -> np.ndarray:
    if alpha is None or not fmt.alpha:
        return colour
    plane = alpha[..., None]
    if alpha.dtype != fmt.dtype:  # no light, so no curve
        plane = from_working(to_working(plane)[..., :1], dtype=fmt.dtype)
    return np.concatenate([colour, plane], axis=2)


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
    check: Callable[[], None] = lambda: None,
) -> None:
    """Write rendered pixels whole or not at all; raises SaveError that names the file.

    layers : other planes of the source by name, for formats that hold them; alpha_kind : of the source, for formats
    that say which kind theirs is; check : raises to stop before the file is put in its place.
    """

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
            vips.write(part, pixels, metadata, saver=saver, quality=quality)

    save_whole(target, write, overwrite=overwrite, sources=sources, check=check)


def save_raw(target: Path, source: Source, *, overwrite: bool = False) -> None:
    """Write a source's mosaic as DNG, whole or not at all; raises SaveError that names the file."""
    mosaic = source.mosaic
    if mosaic is None:
        raise SaveError(f"{target}: DNG holds a sensor's mosaic, and this picture has none.")

    def write(part: Path) -> None:
        from dustpan.files import dng

        dng.write(part, source.pixels[..., 0], mosaic, source.metadata)

    save_whole(target, write, overwrite=overwrite)
