"""Sharp areas: what is in focus, flat parts of it included."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.focus import EVIDENCE_SUPPORT, sharp_evidence, spread_evidence
from dustpan.core.filters.guided import find_outline
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region, Size, with_margin
from dustpan.core.where.noise import sigma_of_tone
from dustpan.core.where.part_kind import PartKind

_CELLS = 420  # along the longer side
_TILE = 32  # cells


@dataclass(frozen=True)
class SharpAreasParams(Params):
    """Settings of sharp areas."""

    least_sharpness: float = param(
        "Least sharpness",
        4.0,
        "How strong the finest detail of a sharp place is, in units of the noise.",
        unit="sigma",
        low=0.5,
        high=40.0,
        step=0.5,
    )
    size: float = param(
        "Size",
        3.0,
        "How far a sharp outline reaches into the flat area beside it.",
        unit="%",
        low=0.5,
        high=15.0,
        step=0.5,
    )


class SharpAreas(PartKind):
    """Cover what is in focus."""

    kind = "sharp_areas"
    order = 20
    label = "Sharp areas"
    help = "What is in focus, with the flat parts that belong to it."
    params_type = SharpAreasParams

    def analyse(self, params, survey):
        """Return the outline of what is in focus."""
        cell = max(4, round(max(survey.size) / _CELLS))
        sharp, sure = _scan(survey, cell, params.least_sharpness)
        picture = cv2.resize(survey.overview, sharp.shape[::-1], interpolation=cv2.INTER_AREA)
        cover = spread_evidence(sharp, sure, picture, params.size / 100 * max(sharp.shape))
        return find_outline(picture, cover, (0.012, 0.006))

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 where the picture is sharp."""
        return analysis.cover(tile, region, context.size)


def _scan(survey: Survey, cell: int, least: float) -> tuple[np.ndarray, np.ndarray]:
    """Return how sharp each cell of the whole picture is, and how sure that is."""
    regions = _tiles(survey.size, cell)

    def look(tile: np.ndarray, wide: Region) -> tuple[np.ndarray, np.ndarray]:
        own = regions[wide]
        tone = tone_of(tile)
        sigma = sigma_of_tone(survey.base_noise, tone, 0)
        # Blurring needs what lies around; cells are counted inside.
        shift = (own[0] - wide[0]) % cell, (own[1] - wide[1]) % cell
        sharp, sure = sharp_evidence(tone[shift[1] :, shift[0] :], sigma[shift[1] :, shift[0] :], cell, least)
        first = (own[0] - wide[0]) // cell, (own[1] - wide[1]) // cell
        count = (own[2] - own[0]) // cell, (own[3] - own[1]) // cell
        inside = np.s_[first[1] : first[1] + count[1], first[0] : first[0] + count[0]]
        return sharp[inside], sure[inside]

    found = survey.looks.scan(look, list(regions))
    rows, columns = survey.size[1] // cell, survey.size[0] // cell
    whole = np.zeros((2, max(rows, 1), max(columns, 1)), np.float32)
    for own, parts in zip(regions.values(), found, strict=True):
        for plane, part in zip(whole, parts, strict=True):
            y, x = own[1] // cell, own[0] // cell
            plane[y : y + part.shape[0], x : x + part.shape[1]] = part
    return whole[0], whole[1]


def _tiles(size: Size, cell: int) -> dict[Region, Region]:
    """Return tiles of whole cells by the region, larger by what is looked around, that is read for them."""
    side = _TILE * cell
    right, bottom = (n // cell * cell for n in size)
    own = [
        (x, y, min(x + side, right), min(y + side, bottom))
        for y in range(0, bottom, side)
        for x in range(0, right, side)
    ]
    return {with_margin(region, EVIDENCE_SUPPORT, size): region for region in own}


KIND = SharpAreas()
