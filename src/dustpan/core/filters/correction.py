"""The thorough engine: a network corrects what the quick engine took, and what it left.

The network (`training/cleaning.py`) sees the picture before and after the quick engine, and how strong and how coarse
the noise is taken for. Its answer is a correction in deviations of the noise, of a few at most: where there is no noise
it changes nothing, and it can't draw what the noise does not allow. JPEGs have a network of their own.

References
----------
Ronneberger, O., Fischer, P. and Brox, T. (2015), U-Net: convolutional networks for biomedical image segmentation,
    doi 10.1007/978-3-319-24574-4_28.
"""

from __future__ import annotations

import cv2
import numpy as np

from dustpan.core.filters.networks import load_network

PLANES = 12  # of the network's input
SUPPORT = 64  # px that the correction looks around: 60 of the network, 2 of the detail, 2 rounded up
BOUND = 4.0  # deviations of the noise that the correction may reach
# Part of the correction of luminance and of colour that is made: most of the gain, and half of the loss where it errs.
_MADE = np.array([0.6, 0.8, 0.8], np.float32)[:, None, None]
UNIT = 8  # px, at whose multiples in the picture a tile begins: the network halves it three times
_LEAST = np.float32(0.25 / 255)  # deviation for which less is taken
_MOST = np.float32(8.0)  # deviations up to which differences are shown
_NEAR = 5  # px of the mean that detail is taken against
_SCALE = np.array([1.2, 4.0, 4.0], np.float32)[:, None, None]
_MIDDLE = np.array([1.0, 0.0, 0.0], np.float32)[:, None, None]


def correct(
    noisy: np.ndarray, cleaned: np.ndarray, sigma: np.ndarray, facts: np.ndarray, *, network: str
) -> np.ndarray:
    """Return cleaned planes, corrected. Within `SUPPORT` of a tile's inner border the result lacks neighbours.

    Parameters
    ----------
    noisy, cleaned : (3, h, w) float32 opponent planes before and after the quick engine at full strength; their corner
        stands at a multiple of 8 px in the picture.
    sigma : (3, h, w) deviations of the noise.
    facts : (FACTS,) float32, how coarse the noise is; see `noise.facts`.
    network : "jpeg", or "whole" for pictures that were never compressed.

    Returns
    -------
    (3, h, w) float32.
    """
    height, width = noisy.shape[1:]
    right, bottom = (-side % UNIT for side in (width, height))
    planes = np.pad(network_input(noisy, cleaned, sigma), ((0, 0), (0, bottom), (0, right)), mode="symmetric")
    (found,) = load_network(f"correction_{network}").run(None, {"planes": planes[None], "facts": facts[None]})
    return cleaned + _MADE * sigma * np.clip(found[0, :, :height, :width], -BOUND, BOUND)


def network_input(noisy: np.ndarray, cleaned: np.ndarray, sigma: np.ndarray) -> np.ndarray:
    """Return (PLANES, h, w) float32 for opponent planes before and after cleaning, (3, h, w) each.

    What was taken off and the detail that was left, both in deviations of the noise; the cleaned planes themselves;
    and the logarithm of the deviations `sigma`, (3, h, w).
    """
    unit = np.maximum(sigma, _LEAST)
    near = np.stack([cv2.blur(plane, (_NEAR, _NEAR), borderType=cv2.BORDER_REFLECT) for plane in cleaned])
    shown = [np.clip(part / unit, -_MOST, _MOST) for part in (noisy - cleaned, cleaned - near)]
    return np.concatenate([*shown, cleaned * _SCALE - _MIDDLE, np.log2(unit * 255) / 3]).astype(np.float32)
