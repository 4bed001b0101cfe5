"""White noise in busy pictures: luminance told by colour, which has little texture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.noise.model import DISPLAY, NoiseModel, geometric_mean, unit_spectrum

_UNEVEN = (0.08, 0.15)  # deviation of a colour spectrum's logarithms, to which it is white (a camera's: 0.2 to 1)
_UNLIKE = (0.1, 0.2)  # logarithm of one colour plane's deviation beside the other's, likewise (a camera's: 0.3)
_COLOURED = (1 / DISPLAY, 2 / DISPLAY)  # deviation of colour, up to which it says nothing of luminance
_UNDER = (2.5, 4.0)  # expected errors by which luminance lies under colour, up to which that is chance
_LEAST = 1e-6


def tell_white_by_colour(model: NoiseModel) -> NoiseModel:
    """Return a model whose luminance is told by colour as well, where the noise is white in both colour planes.

    Noise that was drawn for each channel apart, with deviations r, g and b, has the power (r^2 + g^2 + b^2) / 3 in
    luminance, (r^2 + b^2) / 2 and (r^2 + 4 g^2 + b^2) / 6 in colour: the first is the mean of the others. It is
    weighed with what luminance itself tells by the expected errors of both; where that is more, texture is in it.
    """
    deviation = np.sqrt(np.maximum(model.sigma[0].astype(float) ** 2 @ model.presence, _LEAST**2))
    over = float(np.log(deviation[0] / np.sqrt((deviation[1:] ** 2).mean())))
    wrong, colour_wrong = max(model.doubt[0], over / 2), model.doubt[1]
    weight = _whiteness(model, deviation, over) * wrong**2 / max(wrong**2 + colour_wrong**2, _LEAST)
    if weight <= 0:
        return model
    sigma, spectrum = model.sigma.copy(), model.spectrum.copy()
    for arrays in (sigma, spectrum):
        arrays[:, 0] = geometric_mean(arrays[:, 0], np.sqrt((arrays[:, 1:] ** 2).mean(axis=1)), weight)
    left = float(np.hypot((1 - weight) * wrong, weight * colour_wrong))
    return replace(model, sigma=sigma, spectrum=unit_spectrum(spectrum), doubt=(left, colour_wrong))


def _whiteness(model: NoiseModel, deviation: np.ndarray, over: float) -> float:
    """Return 1 where both colour planes have the same white noise, and luminance may have it too, 0 where not.

    Grain that was drawn for each plane apart hardly ever has the same strength in both.

    Parameters
    ----------
    deviation : (3,) of the planes.
    over : logarithm of that of luminance beside what colour tells of it.
    """
    _, first, second = deviation
    spectra = np.log(np.maximum(model.spectrum[0].reshape(3, 64)[1:, 1:], _LEAST))
    even = np.interp(spectra.std(axis=1).max(), _UNEVEN, (1, 0))
    alike = np.interp(abs(np.log(first / second)), _UNLIKE, (1, 0))
    seen = np.interp(min(first, second), _COLOURED, (0, 1))
    agreed = np.interp(-over / max(float(np.hypot(*model.doubt)), _LEAST), _UNDER, (1, 0))
    return float(even * alike * seen * agreed)
