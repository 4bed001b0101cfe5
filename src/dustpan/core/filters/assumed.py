"""How strong the noise is taken to be in each window: stronger than measured where windows are bare.

Noise that is taken for too weak stays and shows; taken for too strong it takes texture along. Which is worse depends
on what a window holds, on the plane, and on whether the noise is coarse in colour, as that of a mosaic is.
"""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.dct import window_excess

# Factors with the least squared error, by the excess of a window of luminance (`window_excess`: about 0.9 for noise
# alone). Less excess than noise has, or a little more, shows that the noise is weaker or stronger there than measured.
# Chosen on 28 photographs with white noise of 5, 15 and 30 levels and as a camera of 150, 600 and 2400 electrons: told
# the noise, pictures gain 0.01 dB on average over the better of two fixed factors, and lose 0.25 at most.
_EXCESS = np.array([0.6, 0.9, 1.25, 1.6, 2.0, 3.0], np.float32)
_LUMINANCE_WHITE = np.array([1.1, 1.1, 1.04, 1.01, 1.02, 1.04], np.float32)
_LUMINANCE_COARSE = np.array([0.88, 1.08, 1.2, 1.18, 1.02, 0.98], np.float32)
_COLOUR_WHITE = np.array([1.2, 1.2, 1.08, 0.99, 0.98, 1.0], np.float32)
_COLOUR_COARSE = np.array([1.2, 1.42, 1.4, 1.3, 1.02, 0.85], np.float32)
_WHITE, _COARSE = 1.05, 1.5  # ratio of low to high coefficients of colour noise, of white noise and of a mosaic's

# Where an interpolated mosaic or a JPEG leaves little noise in fine coefficients it leaves still less of the picture.
# Measured: camera noise +0.26 dB by it, as JPEG +0.10, white noise +0.01, and no photograph loses over 0.03.
LEAST_SPECTRUM = 1.0


def assume_spectrum(spectra: np.ndarray) -> np.ndarray:
    """Return (..., 8, 8) deviations of the coefficients: none is taken for less than its plane's mean."""
    return np.maximum(spectra, np.float32(LEAST_SPECTRUM))


def assume_noise(luminance: np.ndarray, sigma: np.ndarray, spectrum: np.ndarray, *, left: int = 0) -> np.ndarray:
    """Return (3, H / 2, W / 2) deviations that the noise of each window is taken to have.

    Parameters
    ----------
    luminance : (H, W) float32, the noisy opponent plane at one scale.
    sigma : (3, H / 2, W / 2), deviations as measured, by the window whose corner is that even pixel.
    spectrum : (3, 8, 8), deviation of each coefficient relative to `sigma`.
    left : even column of the picture that the plane begins at.
    """
    coarse = _coarseness(spectrum)
    excess = window_excess(luminance, sigma=sigma[0], spectrum=spectrum[0], left=left)
    tables = ((_LUMINANCE_WHITE, _LUMINANCE_COARSE), (_COLOUR_WHITE, _COLOUR_COARSE))
    own, colours = (np.interp(excess, _EXCESS, white + coarse * (mosaic - white)) for white, mosaic in tables)
    return (sigma * np.stack([own, colours, colours])).astype(np.float32)


def _coarseness(spectrum: np.ndarray) -> float:
    """Return how coarse colour noise is: 0 for white noise, 1 for a mosaic's."""
    ratio = float(spectrum[1:, 1:3, 1:3].mean() / max(spectrum[1:, 5:, 5:].mean(), 1e-6))
    return min(max((ratio - _WHITE) / (_COARSE - _WHITE), 0.0), 1.0)
