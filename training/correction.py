"""What a network that corrects a cleaned picture is given: planes in units of the noise, and facts of the noise."""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.noise.fields import NoiseField

FACTS = 21
_BANDS = ((0, 3), (3, 6), (6, 10), (10, 15))  # sums of both frequencies of a coefficient
_TONES = np.linspace(0.1, 0.9, 81, dtype=np.float32).reshape(9, 9)
PLANES = 12  # of the input of the network
_LEAST = np.float32(0.25 / 255)  # deviation for which less is taken
_MOST = np.float32(8.0)  # deviations up to which differences are told
_NEAR = 5  # px of the mean that detail is told against


def describe_noise(field: NoiseField) -> np.ndarray:
    """Return (FACTS,) float32: how coarse the noise of each plane is, and how the planes belong together.

    Logarithms of the relative deviation in four bands of the finest level, of the deviations at two coarser levels
    beside the finest, and the correlations of the planes.
    """
    order = np.add.outer(np.arange(8), np.arange(8))
    power = field.spectrum[0] ** 2
    bands = [power[:, (order >= low) & (order < high) & (order > 0)].mean(axis=1) for low, high in _BANDS]
    finest, *coarser = (field.sigma(_TONES, (0, 0, 1, 1), level=level).mean(axis=(1, 2)) for level in range(3))
    ratios = [np.log((plane + 1e-4) / (finest + 1e-4)) for plane in coarser]
    facts = [0.5 * np.log(np.stack(bands) + 1e-3), np.stack(ratios), field.correlation[0]]
    return np.concatenate([np.ravel(part) for part in facts]).astype(np.float32)


def network_input(noisy: np.ndarray, cleaned: np.ndarray, sigma: np.ndarray) -> np.ndarray:
    """Return (PLANES, h, w) float32 for opponent planes before and after cleaning, (3, h, w) each.

    What was taken off and the detail that was left, both in deviations of the noise; the cleaned planes themselves;
    and the logarithm of the deviations `sigma`, (3, h, w).
    """
    unit = np.maximum(sigma, _LEAST)
    near = np.stack([cv2.blur(plane, (_NEAR, _NEAR), borderType=cv2.BORDER_REFLECT) for plane in cleaned])
    taken, detail = (noisy - cleaned) / unit, (cleaned - near) / unit
    scale = np.array([1.2, 4.0, 4.0], np.float32)[:, None, None]
    middle = np.array([1.0, 0.0, 0.0], np.float32)[:, None, None]
    parts = [taken, detail]
    shown = [np.clip(part, -_MOST, _MOST) for part in parts]
    return np.concatenate([*shown, cleaned * scale - middle, np.log2(unit * 255) / 3]).astype(np.float32)
