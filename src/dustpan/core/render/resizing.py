"""Reduce a picture for its output: Lanczos in linear light."""

from __future__ import annotations

import numpy as np
from PIL import Image

from dustpan.core.document.viewing import Viewing
from dustpan.core.filters.file_values import from_display, to_light
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.picture.region import Size
from dustpan.core.picture.working import from_working, to_working
from dustpan.core.render.finishing import sharpen_last

_ROWS = 256  # of the picture, reduced at a time


def fit_within(size: Size, most: Size | None) -> Size:
    """Return a size reduced in proportion so that it fits within another; never enlarged."""
    if most is None:
        return size
    scale = min(most[0] / size[0], most[1] / size[1], 1.0)
    return max(round(size[0] * scale), 1), max(round(size[1] * scale), 1)


def reduce_output(
    pixels: np.ndarray,
    size: Size,
    *,
    linear: bool,
    alpha: bool,
    premultiplied: bool,
    viewing: Viewing | None = None,
    curve: FileCurve | None = None,
) -> np.ndarray:
    """Return the pixels of an output at another size, sharpened for how they will be looked at.

    Parameters
    ----------
    pixels : H x W x 1 to 4 in the output's type.
    size : width and height wanted.
    linear : whether they hold linear light.
    alpha : whether the last channel is alpha, which is no light.
    premultiplied : whether colours are multiplied by alpha; straight ones are weighed by it.
    viewing : what a last sharpening is for, or None for none.
    curve : the tone curve of their profile, where it is not sRGB's.
    """
    if (pixels.shape[1], pixels.shape[0]) == size and viewing is None:
        return pixels
    weighed, opacity = _reduced_light(
        pixels, size, linear=linear, alpha=alpha, premultiplied=premultiplied, curve=curve
    )
    if opacity is None:
        return _finished(weighed, pixels.dtype, linear, viewing, curve)
    thin = np.clip(opacity, 0, 1)
    if not premultiplied:
        weighed = np.where(thin > 0, weighed / np.maximum(thin, np.float32(1e-6)), 0)
    colour = _finished(weighed, pixels.dtype, linear, viewing, curve)
    return np.concatenate([colour, from_working(thin, dtype=pixels.dtype)], axis=2)


def _reduced_light(
    pixels: np.ndarray, size: Size, *, linear: bool, alpha: bool, premultiplied: bool, curve: FileCurve | None
) -> tuple[np.ndarray, np.ndarray | None]:
    """Return h x w x n light at another size, weighed by opacity unless it is already, and opacity (h x w x 1) or None.

    Rows are reduced band by band, so that no light of the whole picture is held at once.
    """
    bands = []
    for top in range(0, pixels.shape[0], _ROWS):
        rows = pixels[top : top + _ROWS]
        colours = rows[..., :-1] if alpha else rows
        light = to_light(to_working(colours, linear=linear)[..., : colours.shape[2]], curve)
        if alpha:
            opacity = to_working(rows[..., -1:])[..., :1]
            light = np.concatenate([light if premultiplied else light * opacity, opacity], axis=2)
        bands.append(_lanczos(light, (size[0], len(rows))))
    reduced = _lanczos(np.concatenate(bands), size)
    return (reduced[..., :-1], reduced[..., -1:]) if alpha else (reduced, None)


def _finished(
    light: np.ndarray, dtype: np.dtype, linear: bool, viewing: Viewing | None, curve: FileCurve | None
) -> np.ndarray:
    """Return h x w x n light in an output's own type, sharpened for how it will be looked at."""
    working = encode_curve(np.maximum(light, 0).astype(np.float32))
    if viewing is not None:
        working = sharpen_last(np.repeat(working, 3 // working.shape[2], axis=2), viewing)[..., : working.shape[2]]
    return from_working(from_display(working, curve), dtype=dtype, linear=linear)


def _lanczos(planes: np.ndarray, size: Size) -> np.ndarray:
    """Return h x w x n planes at another size; the filter is as wide as the reduction asks, so nothing aliases."""
    parts = [
        Image.fromarray(np.ascontiguousarray(planes[..., n], np.float32)).resize(size, Image.Resampling.LANCZOS)
        for n in range(planes.shape[2])
    ]
    return np.stack([np.asarray(part, np.float32) for part in parts], axis=-1)
