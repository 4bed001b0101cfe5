"""How large a picture may be, so that a lying header can't take all memory."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dustpan.core.errors import PictureError

MAX_SIDE = 100_000
MAX_PIXELS = 400_000_000

NON_FINITE_NOTE = "The file holds NaN or infinite values; they are shown as black or white."


def check_size(path: Path, width: int, height: int, bands: int) -> None:
    """Raise PictureError when a header claims a size that can't be worked, or channels that can't be shown."""
    if width < 1 or height < 1:
        raise PictureError(f"{path}: the file says {width} x {height} px; there is no picture in it.")
    if max(width, height) > MAX_SIDE or width * height > MAX_PIXELS:
        raise PictureError(
            f"{path}: the file says {width} x {height} px; at most {MAX_PIXELS // 10**6} MP can be opened."
        )
    if not 1 <= bands <= 4:
        raise PictureError(f"{path}: has {bands} channels; 1 (grey) to 4 (colour and alpha) can be opened.")


def replace_non_finite(values: np.ndarray) -> tuple[np.ndarray, tuple[np.ndarray, np.ndarray] | None]:
    """Replace NaN by 0 and infinite values by 1 or 0; return the result and what was replaced.

    The second is the flat indices of the replaced values and these values, or None when all were finite.
    """
    sound = np.isfinite(values)
    if sound.all():
        return values, None
    index = np.flatnonzero(~sound)
    return np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0), (index, values.ravel()[index])
