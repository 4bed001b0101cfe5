"""Measure noise in places that the user knows to be empty.

All that varies there is noise, so its power is a plain mean over the blocks. Places hold a few tones only: for the
others, and where blocks are too few, the noise measured from the whole picture is scaled to what they show.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.noise.flats import MEASURED_LEVELS, predict_coarser
from dustpan.core.noise.measured_blocks import (
    LEAST_KEPT,
    Blocks,
    coefficient_powers,
    cut_blocks,
    halve_planes,
    planes_of,
    tone_bins,
)
from dustpan.core.noise.model import DISPLAY, LEVELS, PAIRS, TONES, NoiseModel
from dustpan.core.picture.region import Extent, Region, Size, extent_of
from dustpan.core.picture.source import Compression, Source

LEAST_SIDE = 16  # px of a place
_MOST_SIDE = 768  # px of a place that are looked at
_SHARED = 2.5  # blocks that overlap hold what this many times fewer separate ones would
_PRIOR_BLOCKS = 12.0  # separate blocks that count as much as the shape of the spectrum measured from the whole picture
_LEAST_BLOCKS = 4.0  # separate blocks of a level, from which it is measured on its own
_OUTLIER = 4.0  # of the median energy: blocks over it hold a speck
_NEAR = 0.15  # tone, over which errors of the deviation over tone are alike
_SHAPE_ERROR = 0.12  # relative error of the deviation at a tone beside that of the mean, one deviation
_CUT_ERROR = 1.5  # the same for what black and white cut off, where they cut off all
_SURVIVING = 0.5  # quantisation steps of deviation, from which a coefficient of a JPEG is not rounded away
_NORMAL_90 = 1.64  # deviations that nine of ten normal values stay within
_UNKNOWN = (5.0, 5.0)  # doubts of a picture in which no noise was found, as it may have any
_EPSILON = 1e-15
_FINE = np.arange(64) > 0  # all coefficients but the mean


def bare_regions(areas: Sequence[Extent], size: Size) -> list[Region]:
    """Return areas (parts of the picture's width and height) in pixels, the middle of large ones.

    Areas under 16 px wide or high are left out.
    """
    regions = []
    for x0, y0, x1, y1 in areas:
        left, right = _middle(x0 * size[0], x1 * size[0])
        top, bottom = _middle(y0 * size[1], y1 * size[1])
        if min(right - left, bottom - top) >= LEAST_SIDE:
            regions.append((left, top, right, bottom))
    return regions


def areas_of(regions: Sequence[Region], source: Source) -> tuple[Extent, ...]:
    """Return regions in pixels as parts of a picture's width and height.

    Raises PictureError that names the picture when a region reaches out of it or is smaller than 16 x 16 px.
    """
    size = source.width, source.height
    for x0, y0, x1, y1 in regions:
        if not (0 <= x0 < x1 <= size[0] and 0 <= y0 < y1 <= size[1]):
            fault = f"reaches out of the picture ({size[0]} x {size[1]} px)"
        elif min(x1 - x0, y1 - y0) < LEAST_SIDE:
            fault = f"is too small to measure noise in: at least {LEAST_SIDE} x {LEAST_SIDE} px are needed"
        else:
            continue
        raise PictureError(f"{source.name}: the bare place {x0},{y0},{x1},{y1} {fault}.")
    return tuple(extent_of(region, size) for region in regions)


def _middle(start: float, end: float) -> tuple[int, int]:
    first, last = round(start), round(end)
    spare = max(last - first - _MOST_SIDE, 0)
    return first + spare // 2, last - (spare - spare // 2)


def measure_bare(model: NoiseModel, places: Sequence[np.ndarray], compression: Compression | None = None) -> NoiseModel:
    """Return the noise that empty places show.

    Parameters
    ----------
    model : the noise measured from the whole picture.
    places : h x w x 3 working pixels of each place, at least 16 px wide and high; none return the model.
    compression : of the file, where it is a JPEG. Coefficients that were rounded away are left out.
    """
    if not places:
        return model
    planes = [_without_slope(planes_of(place)) for place in places]
    start = model.even if model.sigma.any() else _white(model)
    sigma, spectrum, correlation = start.sigma.copy(), start.spectrum.copy(), start.correlation.copy()
    factors, doubt = np.ones((3, len(TONES))), start.doubt
    for level in range(LEVELS):
        shown = _Shown.of(planes) if level < MEASURED_LEVELS else None
        if shown is not None and (compression is None or level == 0):
            known = np.ones((3, 8, 8), bool) if compression is None else shown.surviving(compression)
            over_tone = shown.over_tone(start, level, known)
            factors = over_tone.factors
            change = shown.spectrum_change(spectrum[level], known)
            sigma[level], spectrum[level] = _changed(sigma[level] * factors, spectrum[level], change)
            correlation[level] = shown.correlation(correlation[level])
            doubt = over_tone.doubt(start.presence) if level == 0 else doubt
        else:
            sigma[level] = sigma[level] * factors
        planes = [halve_planes(plane) for plane in planes if min(plane.shape[1:]) >= 2 * LEAST_SIDE]
    return replace(start, sigma=sigma, spectrum=spectrum, correlation=correlation, doubt=doubt)


def _white(model: NoiseModel) -> NoiseModel:
    """Return white noise of one level for a picture in which none was found."""
    sigma, spectrum = model.sigma.copy(), np.ones_like(model.spectrum)
    sigma[0] = 1 / DISPLAY
    for level in range(1, LEVELS):
        predict_coarser(sigma, spectrum, level)
    return replace(model, sigma=sigma, spectrum=spectrum, doubt=_UNKNOWN)


def _without_slope(planes: np.ndarray) -> np.ndarray:
    """Return planes whose colours have lost their slow course over the place (a quadratic), not their mean."""
    height, width = planes.shape[1:]
    y, x = (values.ravel() for values in np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j])
    courses = np.stack([x, y, x * y, x * x - (x * x).mean(), y * y - (y * y).mean()], axis=1).astype(np.float32)
    colours = planes[:3].reshape(3, -1)
    fitted = courses @ np.linalg.lstsq(courses, colours.T, rcond=None)[0]
    level = planes.copy()
    level[:3] -= fitted.T.reshape(3, height, width)
    return level


@dataclass(frozen=True, eq=False)
class _Shown:
    """What the blocks of all places show at one level.

    Attributes
    ----------
    bins : (n,) indices of their tones in `TONES`.
    counts : (n,) separate blocks of each.
    power : (n, 3, 8, 8) mean power of the coefficients, as it was before black and white cut it off.
    kept : (n, 3) share of it that they left.
    blocks : all of them.
    """

    bins: np.ndarray
    counts: np.ndarray
    power: np.ndarray
    kept: np.ndarray
    blocks: Blocks

    @classmethod
    def of(cls, planes: list[np.ndarray]) -> _Shown | None:
        """Return what planes show, or None where they hold too few blocks."""
        if not planes:
            return None
        blocks = Blocks.joined(cut_blocks(plane) for plane in planes)
        blocks = blocks.subset(~blocks.clipped)
        energy = (blocks.coefficients.reshape(-1, 3, 64)[:, :, 1:] ** 2).sum(axis=(1, 2))
        if len(energy):
            blocks = blocks.subset(energy <= _OUTLIER * np.median(energy))
        if len(blocks.tones) / _SHARED < _LEAST_BLOCKS:
            return None
        tones = tone_bins(blocks.tones)
        bins, counts = np.unique(tones, return_counts=True)
        kept = np.stack([np.maximum(blocks.kept[tones == tone].mean(axis=0), LEAST_KEPT) for tone in bins])
        power = np.stack([coefficient_powers(blocks.coefficients[tones == tone]).mean(axis=1) for tone in bins])
        return cls(bins, counts / _SHARED, power.reshape(-1, 3, 8, 8) / kept[..., None, None], kept, blocks)

    def surviving(self, compression: Compression) -> np.ndarray:
        """Return (3, 8, 8), the coefficients that the quantisation of a JPEG has not rounded to nothing."""
        steps = np.stack([compression.luminance, compression.chroma, compression.chroma]) * (3**0.5 / DISPLAY)
        mean = np.average(self.power, axis=0, weights=self.counts)
        return np.sqrt(mean) > _SURVIVING * steps

    def over_tone(self, model: NoiseModel, level: int, known: np.ndarray) -> _OverTone:
        """Return the factors over tone that bring a model's deviations to what is shown.

        The logarithms of the model's errors are a Gaussian process over tone: an error that all tones share, as large
        as the model's doubt, and one that only near tones share.
        """
        sigma, spectrum = model.sigma[level], model.spectrum[level]
        fine = known.reshape(3, 64) & _FINE
        shape = (spectrum.reshape(3, 64) ** 2 * fine).sum(axis=1)
        shown = (self.power.reshape(-1, 3, 64) * fine).sum(axis=2)
        ratio = np.log((shown + _EPSILON) / (shape * sigma[:, self.bins].T ** 2 + _EPSILON)) / 2
        error = self._errors(fine)
        shared = np.array([model.doubt[0], model.doubt[1], model.doubt[1]]) / _NORMAL_90
        posterior = [_posterior(self.bins, *columns) for columns in zip(ratio.T, error.T, shared)]
        mean, covariance = (np.stack(values) for values in zip(*posterior))
        return _OverTone(np.where(np.any(fine, axis=1)[:, None], np.exp(mean), 1.0), covariance)

    def _errors(self, fine: np.ndarray) -> np.ndarray:
        """Return (n, 3), variances of the logarithms of the deviations shown."""
        power = self.power.reshape(-1, 3, 64) * fine
        independent = power.sum(axis=2) ** 2 / np.maximum((power**2).sum(axis=2), _EPSILON**2)
        chance = 0.5 / np.maximum(independent * self.counts[:, None], 0.5)
        return chance + (_CUT_ERROR * (1 - self.kept)) ** 2

    def spectrum_change(self, spectrum: np.ndarray, known: np.ndarray) -> np.ndarray:
        """Return (3, 8, 8) factors of the spectrum's power, nearer to 1 the fewer blocks there are; its mean stays."""
        fine = known & _FINE.reshape(8, 8)
        expected = spectrum**2 * fine
        shown = self.power * fine
        unit = shown.sum(axis=(2, 3)) / np.maximum(expected.sum(axis=(1, 2)), _EPSILON)
        ratio = np.tensordot(self.counts, shown / np.maximum(unit[..., None, None] * expected, _EPSILON), 1)
        change = (ratio + _PRIOR_BLOCKS) / (self.counts.sum() + _PRIOR_BLOCKS)
        return np.where(fine, change, 1.0)

    def correlation(self, before: np.ndarray) -> np.ndarray:
        """Return (3,) correlations of `PAIRS`, nearer to those before the fewer blocks there are."""
        planes = np.moveaxis(self.blocks.coefficients, 1, 0).reshape(3, -1, 64)[:, :, 1:].reshape(3, -1)
        power = np.maximum((planes**2).mean(axis=1), _EPSILON)
        shown = np.array([(planes[p] * planes[q]).mean() / np.sqrt(power[p] * power[q]) for p, q in PAIRS])
        count = self.counts.sum()
        return ((count * shown + _PRIOR_BLOCKS * before) / (count + _PRIOR_BLOCKS)).astype(np.float32)


class _OverTone(NamedTuple):
    """Factors (3, 17) of the deviations over tone, and the covariances (3, 17, 17) of their logarithms."""

    factors: np.ndarray
    covariance: np.ndarray

    def doubt(self, presence: np.ndarray) -> tuple[float, float]:
        """Return the doubts of the mean deviations of luminance and colour."""
        share = presence / max(presence.sum(), _EPSILON)
        deviation = np.sqrt(np.maximum(share @ self.covariance @ share, 0))
        luminance, colour = (_NORMAL_90 * np.array([deviation[0], deviation[1:].max()])).tolist()
        return luminance, colour


def _posterior(
    bins: np.ndarray, shown: np.ndarray, error: np.ndarray, shared: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Return mean (17,) and covariance (17, 17) over tone of a Gaussian process, of values shown at some tones.

    Parameters
    ----------
    bins, shown, error : (n,) indices of the tones, values, and variances of their errors.
    shared : deviation that all tones share.
    """
    prior = shared**2 + _SHAPE_ERROR**2 * np.exp(-0.5 * ((TONES[:, None] - TONES) / _NEAR) ** 2)
    gain = np.linalg.solve(prior[np.ix_(bins, bins)] + np.diag(error), prior[bins]).T
    return gain @ shown, prior - gain @ prior[bins]


def _changed(sigma: np.ndarray, spectrum: np.ndarray, change: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Return deviations and spectrum after a change of the spectrum's power; its mean square stays 1."""
    power = spectrum**2 * change
    mean = power.reshape(3, 64)[:, 1:].mean(axis=1)
    return (sigma * np.sqrt(mean)[:, None]).astype(np.float32), np.sqrt(power / mean[:, None, None]).astype(np.float32)
