"""Interpolate a sensor's mosaic to full colour, tile by tile.

Worked on logarithms, where the ratio of two colours, which changes little along a surface, becomes a difference.
"""

from __future__ import annotations

import cv2
import numpy as np

FINE_SUPPORT, FAST_SUPPORT = 24, 8  # px that the result looks around
_REFLECT = cv2.BORDER_REFLECT_101  # keeps the colours of a 2 x 2 pattern in step
_OTHER_COLOUR = np.array([[-0.25, 0.5, 0.5, 0.5, -0.25]], np.float32)  # interpolates the other colour of a line
_LINE = cv2.getGaussianKernel(9, 2.0).astype(np.float32)
_SHORT = cv2.getGaussianKernel(7, 1.0).astype(np.float32)
_ROUND = cv2.getGaussianKernel(7, 1.0).astype(np.float32)
_IDENTITY = np.ones((1, 1), np.float32)
_WINDOW = 9  # px over which a direction is judged
_EPSILON = np.float32(1e-9)


def demosaic_fine(mosaic: np.ndarray, colours: np.ndarray, *, floor: float) -> np.ndarray:
    """Interpolate a mosaic along the direction in which the picture changes least.

    Parameters
    ----------
    mosaic : (h, w) float32, linear light, white-balanced, black at 0.
    colours : (h, w) uint8, the colour of each site: 0 red, 1 green, 2 blue; a 2 x 2 or a 6 x 6 pattern.
    floor : tone under which colours are compared by their difference rather than by their ratio, 0.003 to 0.3;
        a larger one suits a noisier picture.

    Returns
    -------
    (h, w, 3) float32 linear light. Looks 24 px around.

    Notes
    -----
    Of a 2 x 2 pattern green is estimated along rows and along columns, and both are weighed by their errors. Of a
    6 x 6 pattern green is interpolated along both and weighed by how well it foretells the green that is known.
    Red and blue follow from their differences to green.

    References
    ----------
    Zhang, L. and Wu, X. (2005), Color demosaicking via directional linear minimum mean square-error estimation,
        doi 10.1109/TIP.2005.857260.
    """
    soft = np.float32(floor)
    logs = np.log(np.maximum(mosaic, np.float32(-0.5) * soft) + soft)
    sites = [colours == n for n in range(3)]
    if _is_bayer(colours):
        green = np.where(sites[1], logs, logs + _green_less_other(logs, sites[1]))
        passes = 0
    else:
        green, passes = _green_along_lines(logs, sites[1]), 2
    for _ in range(passes):
        red, blue = (_spread_from(logs - green, sites[n]) for n in (0, 2))
        green = np.where(sites[0], logs - red, np.where(sites[2], logs - blue, logs))
    red, blue = (_spread_from(logs - green, sites[n]) for n in (0, 2))
    return np.exp(np.stack([green + red, green, green + blue], axis=-1)) - soft


def demosaic_fast(mosaic: np.ndarray, colours: np.ndarray) -> np.ndarray:
    """Interpolate each colour from its own nearest sites; (h, w, 3) float32, looks 8 px around."""
    kernel = np.array([[0.25], [0.5], [0.25]], np.float32) if _is_bayer(colours) else _SHORT
    planes = []
    for n in range(3):
        known = colours == n
        planes.append(np.where(known, mosaic, _averaged(mosaic, known, kernel, kernel)))
    return np.stack(planes, axis=-1).astype(np.float32)


def _is_bayer(colours: np.ndarray) -> bool:
    """Return whether no two greens touch along a row, as in a 2 x 2 pattern."""
    green = colours[:8, :8] == 1
    return not (green[:, 1:] & green[:, :-1]).any()


def _averaged(plane: np.ndarray, known: np.ndarray, across: np.ndarray, down: np.ndarray) -> np.ndarray:
    """Return the weighted mean of the known values around each pixel."""
    weights = known.astype(np.float32)
    sums = cv2.sepFilter2D(np.asarray(plane * weights, np.float32), -1, across, down, borderType=_REFLECT)
    return sums / np.maximum(cv2.sepFilter2D(weights, -1, across, down, borderType=_REFLECT), np.float32(1e-4))


def _spread_from(difference: np.ndarray, known: np.ndarray) -> np.ndarray:
    return _averaged(difference, known, _ROUND, _ROUND)


def _green_less_other(logs: np.ndarray, green: np.ndarray) -> np.ndarray:
    """Return green less the row's or column's other colour at every pixel of a 2 x 2 pattern."""
    sign = np.where(green, np.float32(1), np.float32(-1))
    estimates, errors = [], []
    for row in (True, False):
        kernel = _OTHER_COLOUR if row else np.ascontiguousarray(_OTHER_COLOUR.T)
        rough = (logs - cv2.filter2D(logs, -1, kernel, borderType=_REFLECT)) * sign
        across, down = (_LINE, _IDENTITY) if row else (_IDENTITY, _LINE)
        window = (_WINDOW, 1) if row else (1, _WINDOW)
        smooth = cv2.sepFilter2D(rough, -1, across, down, borderType=_REFLECT)
        mean = cv2.blur(smooth, window, borderType=_REFLECT)
        signal = np.maximum(cv2.blur(smooth * smooth, window, borderType=_REFLECT) - mean * mean, 0) + _EPSILON
        rest = smooth - rough
        noise = cv2.blur(rest * rest, window, borderType=_REFLECT) + _EPSILON
        share = signal / (signal + noise)
        estimates.append(mean + share * (rough - mean))
        errors.append(share * noise)
    return (estimates[0] * errors[1] + estimates[1] * errors[0]) / (errors[0] + errors[1])


def _green_along_lines(logs: np.ndarray, green: np.ndarray) -> np.ndarray:
    """Return green at every pixel of a pattern whose lines hold green irregularly."""
    known = green.astype(np.float32)
    window = (_WINDOW, _WINDOW)
    density = np.maximum(cv2.blur(known, window, borderType=_REFLECT), np.float32(1e-4))
    estimates, errors = [], []
    for row in (True, False):
        across, down = (_SHORT, _IDENTITY) if row else (_IDENTITY, _SHORT)
        along = _averaged(logs, green, across, down)
        missed = (logs - along) * known
        error = cv2.blur(missed * missed, window, borderType=_REFLECT) / density + np.float32(1e-7)
        none = cv2.sepFilter2D(known, -1, across, down, borderType=_REFLECT) < 0.05
        estimates.append(np.where(green, logs, along))
        errors.append((error + none * np.float32(1e3)) ** 2)
    return (estimates[0] * errors[1] + estimates[1] * errors[0]) / (errors[0] + errors[1])
