"""White balance: multipliers of camera colours for a light's temperature, and from the picture itself."""

from __future__ import annotations

import numpy as np

_GREEN_STOPS = 0.5  # stops by which a tint of 1 changes green


def white_of(temperature: float) -> np.ndarray:
    """Return the CIE XYZ white (Y is 1) of light of a temperature in kelvin, 1667 to 25000.

    Notes
    -----
    Daylight from 4000 K, a black body below.

    References
    ----------
    CIE 015 (2018), Colorimetry, doi 10.25039/TR.015.2018 (daylight); Kim, Y. et al. (2002), Design of advanced
        color temperature control system for HDTV applications, J. Korean Phys. Soc. 41, 865 (black body).
    """
    t = float(np.clip(temperature, 1667, 25000))
    if t >= 4000:
        low = t <= 7000
        terms = (0.244063, 0.09911e3, 2.9678e6, -4.6070e9) if low else (0.237040, 0.24748e3, 1.9018e6, -2.0064e9)
        x = terms[0] + terms[1] / t + terms[2] / t**2 + terms[3] / t**3
        y = -3.0 * x * x + 2.870 * x - 0.275
    else:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
        cubic = (
            (-1.1063814, -1.34811020, 2.18555832, -0.20219683)
            if t <= 2222
            else (-0.9549476, -1.37418593, 2.09137015, -0.16748867)
        )
        y = cubic[0] * x**3 + cubic[1] * x**2 + cubic[2] * x + cubic[3]
    return np.array([x / y, 1.0, (1 - x - y) / y])


def multipliers_for(temperature: float, tint: float, xyz_to_camera: np.ndarray) -> np.ndarray:
    """Return multipliers of red, green and blue that make light of a temperature neutral.

    Parameters
    ----------
    temperature : kelvin; larger makes the picture warmer.
    tint : -1 to 1; larger makes the picture more magenta.
    xyz_to_camera : 3 x 3.
    """
    seen = np.maximum(xyz_to_camera @ white_of(temperature), 1e-4)
    found = seen[1] / seen
    found[1] *= 2.0 ** (-_GREEN_STOPS * tint)
    return found


def multipliers_from(means: np.ndarray) -> np.ndarray:
    """Return multipliers that make the mean of a picture neutral.

    The brighter parts count more, up to where they clip.

    Parameters
    ----------
    means : (n, 3) mean camera colours of n parts of the picture.

    References
    ----------
    Finlayson, G. and Trezzi, E. (2004), Shades of gray and colour constancy, Color Imaging Conference 12, 37-41.
    """
    sound = means[(means.max(axis=1) < 0.9) & (means.min(axis=1) > 0)]
    if not len(sound):
        return np.ones(3)
    norm = (sound**4).mean(axis=0) ** 0.25
    return norm[1] / np.maximum(norm, 1e-6)
