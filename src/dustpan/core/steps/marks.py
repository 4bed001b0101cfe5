"""Single pixels that a step has found, shown for the eye."""

from __future__ import annotations

import cv2
import numpy as np

_DIM = 0.3  # of the tone that is left of the picture around
_GROWN = np.ones((3, 3), np.uint8)


def show_marks(marks: np.ndarray, tone: np.ndarray) -> np.ndarray:
    """Return marks (h, w) bool in white, grown to 3 px, on the dimmed tone (h, w): h x w x 3 float32."""
    dim = np.repeat(np.float32(_DIM) * np.clip(tone, 0, 1)[..., None], 3, axis=2)
    dim[cv2.dilate(marks.view(np.uint8), _GROWN) > 0] = 1.0
    return dim
