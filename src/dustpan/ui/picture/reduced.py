"""Files' pictures in small, for lists of them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtGui import QImage

from dustpan.core.filters.planes import shrink_to
from dustpan.core.picture.working import from_working, to_working
from dustpan.files import read_picture, read_preview


def small_of(path: Path, longest: int) -> np.ndarray:
    """Return a file's picture in small, h x w x 3 uint8: its preview, else the whole of it reduced."""
    preview = read_preview(path)
    if preview is not None:
        return preview[0]
    source = read_picture(path)
    light = (
        source.pixels if source.mosaic is None else np.repeat(source.read((0, 0, source.width, source.height)), 3, 2)
    )
    reduced = np.atleast_3d(shrink_to(light, longest))
    small = from_working(to_working(reduced, linear=source.linear), dtype=np.uint8)
    return np.repeat(small, 3, axis=2) if small.shape[2] == 1 else small[..., :3]


def image_from(pixels: np.ndarray) -> QImage:
    """Return h x w x 3 uint8 as an image of its own."""
    height, width = pixels.shape[:2]
    return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
