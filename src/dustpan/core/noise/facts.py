"""What a network is given of the noise beside its strength: how coarse it is, and how the planes belong together."""

from __future__ import annotations

import numpy as np

from dustpan.core.noise.fields import NoiseField
from dustpan.core.picture.region import WHOLE

FACTS = 21
_BANDS = ((0, 3), (3, 6), (6, 10), (10, 15))  # sums of both frequencies of a coefficient
_TONES = np.linspace(0.1, 0.9, 81, dtype=np.float32).reshape(9, 9)


def describe_noise(field: NoiseField) -> np.ndarray:
    """Return (FACTS,) float32 of a field of noise.

    Logarithms of the relative deviation in four bands of the finest level, of the deviations at two coarser levels
    beside the finest, and the correlations of the planes.
    """
    order = np.add.outer(np.arange(8), np.arange(8))
    power = field.spectrum[0] ** 2
    bands = [power[:, (order >= low) & (order < high) & (order > 0)].mean(axis=1) for low, high in _BANDS]
    finest, *coarser = (field.sigma(_TONES, WHOLE, level=level).mean(axis=(1, 2)) for level in range(3))
    ratios = [np.log((plane + 1e-4) / (finest + 1e-4)) for plane in coarser]
    facts = [0.5 * np.log(np.stack(bands) + 1e-3), np.stack(ratios), field.correlation[0]]
    return np.concatenate([np.ravel(part) for part in facts]).astype(np.float32)
