"""How well noise is seen on a screen, where each pixel of the picture is one of the screen's.

References
----------
Mannos, J. and Sakrison, D. (1974), The effects of a visual fidelity criterion on the encoding of images,
    doi 10.1109/TIT.1974.1055250 (contrast sensitivity over frequency).
Mullen, K. (1985), The contrast sensitivity of human colour vision to red-green and blue-yellow chromatic gratings,
    doi 10.1113/jphysiol.1985.sp015591 (colour).
"""

from __future__ import annotations

from functools import cache

import numpy as np

from dustpan.core.filters.colour import OPPONENT
from dustpan.core.noise.model import DISPLAY, NOTICEABLE, TONES
from dustpan.core.picture.curve import decode_curve

DISTANCE, DENSITY = 60.0, 96.0  # cm from the screen, and its pixels an inch
_MUCH = 0.03  # share of the picture from which a tone is minded
_STRONG = np.array([NOTICEABLE, 1.0]) / DISPLAY  # luminance and colour noise from which at most a part of it may stay
_STRONG_IN_DOUBT = 3.0 / DISPLAY  # the same of luminance noise that is doubtful: it may be texture
_MOST_LEFT = 0.03  # of such luminance noise
_COLOUR_LEFT = 0.05  # of such colour noise where twice as much may be seen as is just not seen; none where not
_FLARE = 0.01  # light of the room on the screen, beside its white
_WEIGHTS = np.array([0.2126, 0.7152, 0.0722])  # of red, green and blue light in brightness
_COLOUR_FADES = 3.5  # cycles a degree over which the eye's sensitivity to colour falls to a third
_JUST_SEEN = 1.5 / DISPLAY  # deviation in each channel of white noise that is just not seen on middle grey
_COLOUR_SEEN = 1.0  # of colour beside brightness, for the same contrast at their best frequencies


def visible_noise(sigma: np.ndarray, spectrum: np.ndarray) -> np.ndarray:
    """Return (2, 17), how many times over luminance and colour noise could just be seen, at each of `TONES`.

    Parameters
    ----------
    sigma : (3, 17) deviations of the opponent planes at each of `TONES`, at full size.
    spectrum : (3, 8, 8) relative deviations of their coefficients.

    Notes
    -----
    Noise of 1 is just not seen on an even area from 60 cm at 96 pixels an inch. The scale is set by white noise of 1.5
    display values in each channel on middle grey; tone and coarseness follow the eye's sensitivity to contrast. Colour
    noise is seen as brightness too, since the planes are of equal weight for the channels and the eye is not.
    """
    brightness, colour = _sensitivities()
    power = spectrum.astype(float).reshape(3, 64)[:, 1:] ** 2
    seen_power = (power @ brightness, power @ colour)
    luminance_share = (OPPONENT @ _WEIGHTS) ** 2
    gain = _contrast() ** 2
    variance = sigma.astype(float) ** 2
    as_brightness = luminance_share[:, None] * seen_power[0][:, None] * variance
    as_colour = _COLOUR_SEEN**2 * seen_power[1][:, None] * variance
    seen = np.stack([as_brightness[0], (as_brightness + as_colour)[1:].sum(axis=0) / 2])
    return np.sqrt(seen * gain) / _just_seen()


def least_to_take(
    sigma: np.ndarray, spectrum: np.ndarray, presence: np.ndarray, *, visible: float = 1.0, doubted: bool = False
) -> np.ndarray:
    """Return (2,), the least part of luminance and of colour noise without which no more is seen, 0 to 1.

    At every tone of which the picture has much. Of luminance noise that is noticeable no more than 3 % stays, and none
    of colour noise of over 1 display value: what can hardly be seen is seen by whoever looks closely. More where more
    may be seen.

    Parameters
    ----------
    sigma, spectrum : see `visible_noise`.
    presence : (17,) share of the picture at each tone.
    visible : how much may be seen; 1 is just nothing.
    doubted : whether luminance noise is doubtful; twice as much of it may stay.
    """
    seen = visible_noise(sigma, spectrum)[:, presence >= min(_MUCH, presence.max())].max(axis=1)
    parts = np.clip(1 - visible / np.maximum(seen, 1e-6), 0, 1)
    power = sigma.astype(float) ** 2 @ presence
    faint = np.array([_STRONG_IN_DOUBT if doubted else _STRONG[0], _STRONG[1]])
    strong = np.sqrt([power[0], power[1:].mean()]) > faint
    more = max(visible, 1.0)
    left = np.array([_MOST_LEFT * more * (2 if doubted else 1), _COLOUR_LEFT * (more - 1)])
    return np.where(strong, np.maximum(parts, 1 - left), parts)


def _contrast() -> np.ndarray:
    """Return (17,), change of the screen's light for one unit of tone, as a part of the light there."""
    step = 1e-3
    light = [decode_curve(np.clip(TONES + side, 0, 1)) for side in (-step, step)]
    width = np.clip(TONES + step, 0, 1) - np.clip(TONES - step, 0, 1)
    return (light[1] - light[0]) / width / (decode_curve(TONES) + _FLARE)


@cache
def _sensitivities() -> tuple[np.ndarray, np.ndarray]:
    """Return (63,) squared relative sensitivities to the coefficients, of brightness and of colour."""
    vertical, horizontal = np.mgrid[0:8, 0:8]
    per_degree = np.pi / 180 * DISTANCE / (2.54 / DENSITY)  # pixels
    cycles = (np.hypot(vertical, horizontal) / 16 * per_degree).ravel()[1:]
    brightness = 2.6 * (0.0192 + 0.114 * cycles) * np.exp(-((0.114 * cycles) ** 1.1))
    colour = np.exp(-cycles / _COLOUR_FADES)
    return brightness**2 / 63, colour**2 / 63


@cache
def _just_seen() -> float:
    """Return what white noise of `_JUST_SEEN` on middle grey comes to before it is scaled."""
    seen = _sensitivities()[0].sum() * (OPPONENT[0] @ _WEIGHTS) ** 2 * _contrast()[len(TONES) // 2] ** 2
    return float(np.sqrt(seen)) * _JUST_SEEN
