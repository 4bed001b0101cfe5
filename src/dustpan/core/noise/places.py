"""Noise that follows place: behind a lens correction, which brightens the corners, it is stronger there.

The energy of blocks beside what the model gives to their tones is noted in a grid of places; a low quantile is that of
the calmest blocks. If a smooth course over the picture, even about its middle, explains all places, it is noise:
texture is never that regular.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from dustpan.core.filters.colour import to_opponent
from dustpan.core.filters.dct import block_transform
from dustpan.core.noise.energies import chi_squared
from dustpan.core.noise.fields import course_over
from dustpan.core.noise.measured_blocks import FREQUENCY
from dustpan.core.noise.model import EVEN_PLACES, NoiseModel
from dustpan.core.picture.curve import is_clipped
from dustpan.core.picture.region import Extent, Region, Size
from dustpan.core.picture.source import Compression
from dustpan.core.work.sharing import Each

_GRID = 6  # places across and down
_SIDE = 8  # px of a block
_BAND = (FREQUENCY >= 4) & (FREQUENCY <= 11)  # coefficients that are looked at
_LEAST_SHAPE = 0.05  # relative power of a coefficient, under which the model tells too little
_CALM = 0.1  # quantile of the blocks of a place
_LEAST_OF_PLACE, _LEAST_PLACES = 16, 12  # blocks and places, under which nothing is said
_CUT = 0.1  # share of a block's pixels at black or white from which it is left out
_ABOVE, _BELOW = 0.08, 0.25  # log deviation from the course at which a place's weight falls: texture only adds
_ROUNDS = 20
_REGULAR, _MOST_REGULAR = 0.06, 0.04  # largest error of the course of luminance and of colour: above it is texture
_FITTING = 0.8  # share of the places that it must explain
_RISES, _RISES_TOO = 1.35, 1.15  # least ratio of corners to middle: of one plane, and of the others with it
_SHARE = 0.05  # least rise in both directions, relative to the middle
_QUIET = 1.0  # display values of noise, under which nothing is looked for
_COARSE_STEPS = 2.0  # steps of a compression beside the noise, in display values, from which they empty the band
_SURE_MEAN = (0.85, 1.2)  # factors within which the mean deviation is corrected


class _Course(NamedTuple):
    """Deviations relative to the model's: at the middle, and what x² and y² add (-1 to 1 over the picture)."""

    values: np.ndarray
    error: float  # of their logarithm over the places that fit, root mean square
    fitting: float  # share of the places

    @property
    def corners(self) -> float:
        """Deviation in the corners beside that in the middle."""
        return float(self.values.sum() / max(self.values[0], 1e-3))

    @property
    def mean(self) -> float:
        """Root of the mean square over the picture."""
        return float(np.sqrt(_mean_square(self.values)))

    def is_regular(self, error: float) -> bool:
        """Return whether it explains nearly all places, up to an error."""
        return self.fitting >= _FITTING and self.error < error

    def rises(self, least: float) -> bool:
        """Return whether it rises from the middle in both directions, by a factor at least."""
        middle, *sides = self.values
        return bool(middle > 0 and min(sides) > _SHARE * middle and self.corners >= least)


def follow_places(
    model: NoiseModel,
    crops: Sequence[np.ndarray],
    regions: Sequence[Region],
    size: Size,
    compression: Compression | None = None,
    *,
    each: Each = map,
) -> NoiseModel:
    """Return a model with the course of its deviations over the picture, where these show one.

    Parameters
    ----------
    model : measured on the crops.
    crops, regions : H x W x 3 working pixels, and where they lie in a picture of `size`.
    compression : of the file, where it is a JPEG. A coarse one leaves noise in the corners alone, and nothing is said.
    each : spreads work over threads.
    """
    coarse = compression is not None and compression.luminance[_BAND].mean() > _COARSE_STEPS * model.luminance
    if model.luminance < _QUIET or coarse or not crops:
        return model
    parts = list(each(lambda part: _ratios(model, part[0], part[1], size), list(zip(crops, regions, strict=True))))
    places, luminance, colour = (np.concatenate(columns) for columns in zip(*parts, strict=True))
    grey, hues = (_course_of(places, ratio, planes) for ratio, planes in ((luminance, 1), (colour, 2)))
    coloured = model.colour >= _QUIET and compression is None  # a JPEG keeps too little of colour
    chosen = _chosen(grey, hues if coloured else None)
    if chosen is None or grey is None:
        return model
    means = [_held(course.mean if course.is_regular(_REGULAR) else 1.0) for course in (grey, hues or grey)]
    sigma = model.sigma * np.array([means[0], means[1], means[1]], np.float32)[:, None]
    middle, across, down = (chosen.values / chosen.mean).tolist()
    return replace(model, sigma=sigma, over_place=(middle, across, down))


def with_course_of(model: NoiseModel, bare: NoiseModel, areas: Sequence[Extent]) -> NoiseModel:
    """Return the noise measured in bare areas, with the course over the picture that the whole of it has shown."""
    if model.over_place == EVEN_PLACES:
        return bare
    there = np.mean([course_over(model.over_place, area, (1, 1)) for area in areas])
    return replace(bare, sigma=bare.sigma / np.float32(there), over_place=model.over_place)


def _chosen(grey: _Course | None, hues: _Course | None) -> _Course | None:
    """Return the course that is surely noise: of luminance, or of colour, in which there is hardly any texture."""
    clear = hues is not None and hues.is_regular(_MOST_REGULAR) and hues.rises(_RISES)
    if grey is None or (clear and grey.corners < _RISES_TOO):
        return None
    if clear:
        return hues
    return grey if grey.is_regular(_REGULAR) and grey.rises(_RISES) else None


def _held(mean: float) -> float:
    return min(max(mean, _SURE_MEAN[0]), _SURE_MEAN[1])


def _mean_square(values: np.ndarray) -> float:
    """Return the mean square of a + b x² + c y² over the square from -1 to 1."""
    a, b, c = values
    return float(a * a + (b * b + c * c) / 5 + 2 * (a * b + a * c) / 3 + 2 * b * c / 9)


def _ratios(model: NoiseModel, crop: np.ndarray, region: Region, size: Size) -> Iterable[np.ndarray]:
    """Return places (n, 2), -1 to 1, and powers of luminance and colour beside the model's, of a crop's blocks."""
    rows, columns = (side // _SIDE for side in crop.shape[:2])
    inner = np.ascontiguousarray(crop[: rows * _SIDE, : columns * _SIDE], np.float32)
    planes = to_opponent(inner)
    blocks = planes.reshape(3, rows, _SIDE, columns, _SIDE).transpose(0, 1, 3, 2, 4)
    coefficients = block_transform(blocks)
    shape = np.maximum(model.spectrum[0] ** 2, _LEAST_SHAPE)[:, None, None]
    tone = coefficients[0, ..., 0, 0] / np.float32(_SIDE * 3**0.5)
    power = (coefficients**2 / shape * _BAND).sum(axis=(3, 4)) / _BAND.sum()
    ratio = power / np.maximum(model.at(tone) ** 2, 1e-9)
    cut = is_clipped(inner).any(axis=2).reshape(rows, _SIDE, columns, _SIDE).mean(axis=(1, 3))
    middles = [start + _SIDE * (np.arange(count) + 0.5) for start, count in ((region[1], rows), (region[0], columns))]
    down, across = np.meshgrid(*(2 * m / side - 1 for m, side in zip(middles, size[::-1])), indexing="ij")
    sound = cut < _CUT
    return np.stack([across, down], axis=-1)[sound], ratio[0][sound], ratio[1:].mean(axis=0)[sound]


def _course_of(places: np.ndarray, ratio: np.ndarray, planes: int) -> _Course | None:
    """Return the course that the calmest blocks of all places show, or None where there are too few."""
    cells = np.clip(((places + 1) / 2 * _GRID).astype(int), 0, _GRID - 1) @ [1, _GRID]
    calm = chi_squared(_CALM, planes * int(_BAND.sum())) / (planes * _BAND.sum())
    groups = [np.flatnonzero(cells == cell) for cell in np.unique(cells)]
    groups = [group for group in groups if len(group) >= _LEAST_OF_PLACE]
    if len(groups) < _LEAST_PLACES:
        return None
    shown = np.array([np.sqrt(max(np.quantile(ratio[group], _CALM) / calm, 1e-6)) for group in groups])
    squares = np.stack([(places[group] ** 2).mean(axis=0) for group in groups])
    return _fitted(np.column_stack([np.ones(len(groups)), squares]), shown)


def _fitted(terms: np.ndarray, shown: np.ndarray) -> _Course:
    """Return the course nearest to deviations (n,) as a sum of terms (n, 3); what lies above by far counts less."""
    weight = np.ones(len(shown))
    for _ in range(_ROUNDS):
        scale = weight / shown
        values = np.linalg.lstsq(terms * scale[:, None], weight, rcond=None)[0]
        off = np.log(shown / np.maximum(terms @ values, 1e-3))
        weight = np.minimum(_ABOVE / np.maximum(off, _ABOVE), _BELOW / np.maximum(-off, _BELOW))
    fits = weight == 1
    return _Course(values, float(np.sqrt((off[fits] ** 2).mean())) if fits.any() else 1.0, float(fits.mean()))
