"""What each frame is worth: how sharp its stars are, how bright its sky, how it lies."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.frames.registration import Look


@dataclass(frozen=True)
class Quality:
    """Figures of a frame.

    Attributes
    ----------
    stars : how many were found.
    star_width : median full width at half maximum, px; 0 without stars.
    sharpness : strength of fine detail beside that of the noise; comparable within one series.
    background : median light.
    noise : deviation of the light, at the sky.
    shift : (x, y), px; against the reference.
    angle : degrees; against the reference.
    """

    stars: int
    star_width: float
    sharpness: float
    background: float
    noise: float
    shift: tuple[float, float] = (0.0, 0.0)
    angle: float = 0.0

    @classmethod
    def of(cls, look: Look, matrix: np.ndarray) -> Quality:
        """Return the figures of a frame that is placed."""
        stars = look.stars
        detail = cv2.GaussianBlur(look.tone, (0, 0), 1.0) - cv2.GaussianBlur(look.tone, (0, 0), 2.5)
        height, width = look.tone.shape
        middle = np.array([(width - 1) / 2, (height - 1) / 2])
        shift = matrix[:, :2] @ middle + matrix[:, 2] - middle
        return cls(
            stars=len(stars),
            star_width=float(np.median(stars.width)) if len(stars) else 0.0,
            sharpness=float(np.std(detail) / max(stars.noise, 1e-9)),
            background=float(np.median(look.tone)),
            noise=stars.noise,
            shift=(float(shift[0]), float(shift[1])),
            angle=float(np.degrees(np.arctan2(matrix[1, 0], matrix[0, 0]))),
        )
