"""Measure the noise of a sensor's mosaic."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np

from dustpan.core.noise.cells import FLAT, cut_cells, flat_variance, variance_in_cells
from dustpan.core.noise.model import TONES, NoiseModel
from dustpan.core.picture.curve import decode_curve

_TONE_BOUNDS = (0, 0.01, 0.03, 0.06, 0.12, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1)  # quantiles of the cells' tones
_LEAST_CELLS = 6  # of a range of tones
_NEAR_WHITE = 0.9  # tone from which cells are left out: some of their values clip
_TOLERANCE = 0.1  # excess of a range over the line, as a part of its variance, at which its weight is halved


def estimate_mosaic_noise(crops: list[np.ndarray], period: int) -> NoiseModel:
    """Estimate the noise of a mosaic: white, the same in every plane, over display tone.

    A table over light itself would blur the darks, where the deviation grows with the root of light.

    Parameters
    ----------
    crops : h x w x 1 float32 light, black at 0 and white at 1.
    period : side of the pattern, px.
    """
    start, slope = fit_variance([crop[..., 0] for crop in crops], period)
    sigma = np.sqrt(start + slope * decode_curve(TONES)).astype(np.float32)
    none = NoiseModel.none()
    return replace(none, sigma=np.broadcast_to(sigma, none.sigma.shape).copy())


def fit_variance(crops: list[np.ndarray], period: int) -> tuple[float, float]:
    """Return (a, b): the variance of a mosaic's noise at light t is a + b * t.

    Parameters
    ----------
    crops : (h, w) float32 light, black at 0 and white at 1.
    period : 2 or 6, side of the pattern.

    Notes
    -----
    Taken from the difference of each site from the mean of the two nearest same-colour sites of its row: medians of
    the squares over small cells, then a low quantile over the cells of each range of tones, because texture only adds
    to them. For the same reason a range that lies above the line gets less weight in each round of the fit.
    """
    cells = [_cells(crop, period) for crop in crops]
    tone, variance = (np.concatenate(parts) for parts in zip(*cells, strict=True))
    tone, variance = tone[tone < _NEAR_WHITE], variance[tone < _NEAR_WHITE]
    bounds = np.quantile(tone, _TONE_BOUNDS) if len(tone) else np.zeros(2)
    means, variances = [], []
    for low, high in itertools.pairwise(bounds):
        inside = (tone >= low) & (tone <= high)
        if inside.sum() >= _LEAST_CELLS:
            flat = variance[inside] <= np.quantile(variance[inside], 2 * FLAT)
            means.append(float(tone[inside][flat].mean()))
            variances.append(flat_variance(variance[inside]))
    if len(means) < 2:
        return (float(np.median(variance)) if len(variance) else 0.0), 0.0
    return _fit_line_below(np.array(means), np.maximum(variances, 1e-12))


def _cells(crop: np.ndarray, period: int) -> tuple[np.ndarray, np.ndarray]:
    """Return mean light and noise variance of the cells of a crop."""
    middle, sides = crop[:, period:-period], (crop[:, : -2 * period] + crop[:, 2 * period :]) / 2
    return cut_cells((2 * sides + middle) / 3).mean(axis=1), variance_in_cells((middle - sides) ** 2 / 1.5)


def _fit_line_below(tone: np.ndarray, variance: np.ndarray) -> tuple[float, float]:
    """Return start and slope, neither negative, of the line that the variances lie on or above."""
    weight = np.ones_like(tone)
    for _ in range(8):
        scaled = (weight / variance)[:, None] * np.stack([np.ones_like(tone), np.maximum(tone, 0)], axis=1)
        (start, slope), *_ = np.linalg.lstsq(scaled, weight, rcond=None)
        if start < 0:
            start, slope = 0.0, float((scaled[:, 1] * weight).sum() / max((scaled[:, 1] ** 2).sum(), 1e-30))
        if slope < 0:
            start, slope = float((scaled[:, 0] * weight).sum() / (scaled[:, 0] ** 2).sum()), 0.0
        above = np.maximum(variance - (start + slope * tone), 0) / variance
        weight = 1 / (1 + (above / _TOLERANCE) ** 2)
    return max(float(start), 1e-10), max(float(slope), 0.0)
