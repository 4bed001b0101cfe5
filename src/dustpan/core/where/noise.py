"""The noise that parts of a mask measure in."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.noise.model import NoiseModel

_LEAST = np.float32(1 / 255)  # what may be noise in a picture without any


def sigma_of_tone(noise: NoiseModel, tone: np.ndarray, level: int) -> np.ndarray:
    """Return (h, w) deviation of the tone's noise, display tone, at least one step of 8 bits.

    Parameters
    ----------
    tone : (h, w) of a picture reduced by 2 ** level.
    """
    around = cv2.GaussianBlur(np.clip(tone, 0, 1), (5, 5), 1.2, borderType=cv2.BORDER_REFLECT)
    return np.maximum(noise.at(around)[0] / np.float32(3**0.5 * 2**level), _LEAST)
