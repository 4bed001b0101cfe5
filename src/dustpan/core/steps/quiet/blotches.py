"""Blotches coarser than a tile sees: cleaned on the overview, and added as a plane."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.assumed import assume_spectrum
from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.filters.dct import halve
from dustpan.core.filters.quick import Cleaning, clean_tile
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region, extent_of
from dustpan.core.steps.quiet.noise_params import NoiseParams

SCALES = 3  # octaves that are cleaned within a tile


def correct_blotches(params: NoiseParams, survey: Survey, field: NoiseField) -> np.ndarray | None:
    """Clean the overview reduced by 8 (and by 16 for 5 octaves); return result less input."""
    octaves = round(params.blotch) - SCALES
    if octaves <= 0 or min(survey.size) < 64:
        return None
    planes = to_opponent(survey.overview)
    for _ in range(SCALES - survey.level):
        planes = np.stack([halve(plane[: plane.shape[0] // 2 * 2, : plane.shape[1] // 2 * 2]) for plane in planes])
    reduced = from_opponent(planes)
    first = max(SCALES, survey.level)
    spectra = field.spectrum

    def sigma(tone: np.ndarray, scale: int, part: Region) -> np.ndarray:
        x0, y0, x1, y1 = (at << first for at in part)  # of the full picture
        return field.sigma(tone, extent_of((x0, y0, x1, y1), survey.size), level=first + scale)

    cleaning = Cleaning(
        sigma=sigma,
        spectrum=assume_spectrum(spectra[np.minimum(first + np.arange(octaves), len(spectra) - 1)]),
        strengths=(params.luminance / 100, params.colour / 100),
        scales=octaves,
    )
    return clean_tile(reduced, cleaning) - reduced
