"""What a JPEG file says of its compression."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np
from PIL import Image, JpegImagePlugin, UnidentifiedImageError

from dustpan.core.picture.source import Compression
from dustpan.files.exif import TURNED

_FROM_RIGHT, _FROM_BELOW = (2, 3, 7, 8), (3, 4, 6, 7)  # those after which blocks are counted from the far sides


def read_compression(path: Path, orientation: int) -> Compression | None:
    """Return how a JPEG in grey or colour was compressed, as it lies when the picture stands upright, or None.

    Parameters
    ----------
    orientation : 1 to 8, as EXIF counts them.
    """
    try:
        with warnings.catch_warnings(action="ignore"), Image.open(path, formats=["JPEG"]) as image:  # of broken notes
            if not isinstance(image, JpegImagePlugin.JpegImageFile) or image.mode not in ("L", "RGB"):
                return None
            tables, layers, size = image.quantization, image.layer, image.size
        steps = [np.array(tables[layer[3]], np.float32).reshape(8, 8) for layer in layers]
    except (OSError, UnidentifiedImageError, SyntaxError, KeyError, ValueError, IndexError):
        return None
    across, down = (max(layer[axis] for layer in layers) > min(layer[axis] for layer in layers) for axis in (1, 2))
    width, height = size[0] % (16 if across else 8), size[1] % (16 if down else 8)
    corner = width * (orientation in _FROM_RIGHT), height * (orientation in _FROM_BELOW)
    if orientation in TURNED:  # what was the right or lower side of the file may be the upper or left one
        steps = [table.T for table in steps]
        corner = height * (orientation in (6, 7)), width * (orientation in (7, 8))
    return Compression(steps[0], steps[-1], across or down, corner)
