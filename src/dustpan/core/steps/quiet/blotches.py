"""Blotches coarser than a tile sees: cleaned on the overview, and their change added as a plane."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.assumed import assume_spectrum
from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import halve
from dustpan.core.filters.quick import Cleaning, change_by_coarser
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region, extent_of
from dustpan.core.steps.quiet.noise_params import NoiseParams

SCALES = 3  # octaves that are cleaned within a tile


def correct_blotches(params: NoiseParams, survey: Survey, field: NoiseField) -> np.ndarray | None:
    """Return what coarser octaves change in the overview that a tile's own have cleaned, h x w x 3; or None.

    The overview reduced by 4, as a tile's coarsest octave is, is cleaned with and without the octaves past it: what
    a tile has taken must not be taken twice.
    """
    past = round(params.blotch) - SCALES
    if past <= 0 or min(survey.size) < 64:
        return None
    first = max(SCALES - 1, survey.level)
    planes = to_opponent(survey.overview)
    for _ in range(first - survey.level):
        planes = np.stack([halve(plane[: plane.shape[0] // 2 * 2, : plane.shape[1] // 2 * 2]) for plane in planes])
    reduced, spectra = from_opponent(planes), field.spectrum

    def sigma(tone: np.ndarray, scale: int, part: Region) -> np.ndarray:
        x0, y0, x1, y1 = (at << first for at in part)  # of the full picture
        return field.sigma(tone, extent_of((x0, y0, x1, y1), survey.size), level=first + scale)

    octaves = first + np.arange(1 + past)
    cleaning = Cleaning(
        sigma,
        assume_spectrum(spectra[np.minimum(octaves, len(spectra) - 1)]),
        strengths=(params.luminance / 100, params.colour / 100),
        scales=len(octaves),
        reduced=first,
    )
    return change_by_coarser(reduced, cleaning)
