"""Hue and chroma as the eye sees them."""

from __future__ import annotations

import numpy as np

from dustpan.core.picture.curve import decode_curve

_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float32,
)
_TO_AXES = np.array(
    [[1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]], np.float32
)


def hue_and_chroma(pixels: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return hue (degrees, 0 to 360) and chroma (about 0 to 0.32) of h x w x 3 working pixels, each (h, w) float32.

    The axes are those of Oklab, in which steps of hue look even (Ottosson, B., 2020, A perceptual color space for image
    processing; CSS Color Module Level 4, section 9.3).
    """
    light = np.maximum(decode_curve(pixels), 0)
    cones = [np.cbrt(_weighted(light, weights)) for weights in _TO_CONES]
    first, second = (_weighted(np.stack(cones, axis=-1), weights) for weights in _TO_AXES)
    hue = np.degrees(np.arctan2(second, first)) % 360
    return hue.astype(np.float32), np.hypot(first, second).astype(np.float32)


def _weighted(pixels: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """Return the weighted sum of the channels; in a fixed order, so that tiles agree bit for bit."""
    return pixels[..., 0] * weights[0] + pixels[..., 1] * weights[1] + pixels[..., 2] * weights[2]
