"""Light and tone: exposure in linear light with a soft shoulder, then a display curve."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.curve import decode_curve, encode_curve

_SHOULDER = 0.5  # light up to which raised exposure is a plain factor: tone 0.74


def smooth_step(value: np.ndarray, low: float, high: float) -> np.ndarray:
    """Return 0 below `low`, 1 above `high`, and a smooth rise between them."""
    part = np.clip((value - low) / (high - low), 0, 1)
    return part * part * (3 - 2 * part)


def lift_stops(base: np.ndarray, *, shadows: float, highlights: float) -> np.ndarray:
    """Return the stops, -1.6 to 2.4, by which each pixel is lifted for the tone of its base layer (0 to 1)."""
    dark = 1 - smooth_step(base, 0.0, 0.55)
    light = smooth_step(base, 0.45, 1.0)
    return (2.4 * shadows * dark + 1.6 * highlights * light).astype(np.float32)


def expose(pixels: np.ndarray, *, stops: np.ndarray | float, ev: float, stretch: float) -> np.ndarray:
    """Scale light by 2 ** (stops + ev) with a soft shoulder, then lift it by asinh.

    Parameters
    ----------
    pixels : h x w x 3 working pixels.
    stops : a number or (h, w, 1), added to `ev`.
    ev : stops for the whole picture.
    stretch : 0 to 1; larger lifts the faintest light more, 0 leaves the curve straight.
    """
    light = amplify(decode_curve(pixels), np.exp2(np.float32(ev) + stops))
    if stretch > 1e-3:  # less than a hundredth of the smallest step shows nothing and can't be divided by
        bend = np.float32(10.0 ** (3.2 * stretch) - 1.0)
        light = np.arcsinh(bend * light) / np.arcsinh(bend)
    return encode_curve(light)


def amplify(light: np.ndarray, gain: np.ndarray | float) -> np.ndarray:
    """Multiply light by a gain and keep white white.

    A gain of at most 1 is a plain factor. A larger one multiplies what comes out under `_SHOULDER`; from there a
    hyperbola with the same slope goes to white, and light above white stays as it is. So the order of all light is
    kept, every gain can be undone, and the curve changes smoothly with the gain.

    Parameters
    ----------
    light : linear light of any shape, 1 is white; may be below 0 and above 1.
    gain : positive; a number, or of a shape that goes with `light`.
    """
    raised = light * np.float32(gain)
    if np.all(np.asarray(gain) <= 1):
        return raised
    factor = np.maximum(gain, 1)
    start = _SHOULDER / factor
    bend = (factor * (1 - start) / (1 - _SHOULDER) - 1) / (1 - start)
    over = np.clip(light - start, 0, None)
    shoulder = _SHOULDER + factor * over / (1 + bend * over)
    lifted = np.where(light >= 1, light, np.where(light > start, shoulder, raised))
    return np.where(np.asarray(gain) > 1, lifted, raised).astype(np.float32)


def bend_tone(tone: np.ndarray, *, black: float, white: float, midtone: float, contrast: float) -> np.ndarray:
    """Apply end points, midtone and contrast to display tones of any shape.

    Positive `black` darkens the darks, positive `white` brightens the lights, both in tone; midtone and
    contrast are -1 to 1. Straight beyond 0 and 1, so nothing is clipped.
    """
    if black or white:
        tone = (tone - np.float32(black)) / np.float32(1 - white - black)
    if midtone:
        tone = _within(tone, lambda t: t / ((1 / (0.5 + 0.35 * midtone) - 2) * (1 - t) + 1))
    if contrast:
        amount = contrast if contrast > 0 else 0.8 * contrast
        tone = _within(tone, lambda t: t + amount * (t * t * (3 - 2 * t) - t))
    return tone.astype(np.float32)


def _within(tone: np.ndarray, curve) -> np.ndarray:
    """Apply a curve that maps 0 to 0 and 1 to 1 between them; what lies beyond keeps its distance from them."""
    inside = np.clip(tone, 0, 1)
    return curve(inside) + (tone - inside)


def saturate(pixels: np.ndarray, amount: float) -> np.ndarray:
    """Scale the distance of each channel from the tone by 1 + amount."""
    if not amount:
        return pixels
    grey = tone_of(pixels)[..., None]
    return grey + np.float32(1 + amount) * (pixels - grey)
