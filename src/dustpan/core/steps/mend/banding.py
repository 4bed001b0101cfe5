"""Banding: rows and columns that are shifted as a whole are brought back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.banding import (
    NEAR,
    OF_SENSOR,
    SEGMENT,
    WIDER,
    WIDEST,
    Bands,
    average_cells,
    band_strength,
    find_bands,
    take_off,
)
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.mend.sensor_lines import crops_without_lines
from dustpan.core.steps.step_kind import StepKind

_STRIP = 256  # rows, or columns, that are read at once
_OF_NOISE, _LEAST = 0.07, 0.2 / DISPLAY  # bands stronger than both are found
_OF_NOISE_FAR = 0.3  # the same where rows of the same colours are 6 px apart, between which the picture changes more
_MOST = 3.0  # times their strength, that bands are taken off
_LEAST_OF_MOSAIC = 2e-5  # of the sensor's range
_EVEN = 0.42  # least evenness over the picture: boards and waves are where they are, bands everywhere
_EVEN_FAR = 0.6  # the same where rows of the same colours are far apart
_COARSEST_OF_MOSAIC = 2.0  # rows of the same colours; what varies more slowly is the picture's own
_EVENER = 1.2  # how much evener over the picture bands of light must be than as display values to be taken for such


@dataclass(frozen=True)
class BandingParams(Params):
    """Settings of the banding step."""

    rows: float = param("Rows", 0.8, "How much of the bands along rows is taken off.", low=0.0, high=1.0, step=0.05)
    columns: float = param(
        "Columns", 0.0, "How much of the bands along columns is taken off.", low=0.0, high=1.0, step=0.05
    )
    protect: float = param(
        "Protect the picture",
        0.8,
        "Higher keeps lines and textures of the picture itself out of what is taken for bands.",
        low=0.0,
        high=1.0,
        step=0.05,
    )


@dataclass(frozen=True, eq=False)
class BandingAnalysis:
    """Bands of the whole picture; None where none were found."""

    rows: Bands | None
    columns: Bands | None


class Banding(StepKind):
    """Bring rows and columns that are shifted as a whole back to their neighbours."""

    kind = "banding"
    stage = "Mend"
    order = 40
    label = "Banding"
    help = "Takes off the offsets that whole rows or columns share; where there are none, nothing is changed."
    params_type = BandingParams
    keeps_noise = True
    takes_mosaic = True

    def measured(self, survey):
        """Return which of rows and columns have bands."""
        rows, columns = (_strength(survey, columns) for columns in (False, True))
        return BandingParams(rows=0.8 if rows[0] else 0.0, columns=0.8 if columns[0] else 0.0)

    def analyse(self, params, survey):
        """Return the offset of each row and column that the settings ask for."""
        rows = _find(survey, params, columns=False) if params.rows > 0 else None
        return BandingAnalysis(rows, _find(survey, params, columns=True) if params.columns > 0 else None)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile less its bands; looks at single pixels only."""
        x0, y0, x1, y1 = region
        if analysis.rows is not None:
            offsets = _reduced(analysis.rows.offsets, context.level)[y0:y1, None]
            tile = take_off(tile, _part(params.rows) * offsets, of_light=analysis.rows.of_light)
        if analysis.columns is not None:
            offsets = _reduced(analysis.columns.offsets, context.level)[None, x0:x1]
            tile = take_off(tile, _part(params.columns) * offsets, of_light=analysis.columns.of_light)
        return tile

    def idle(self, params):
        """Return whether nothing is taken off."""
        return params.rows == 0 and params.columns == 0

    def found_nothing(self, params, analysis):
        """Return whether there are no bands."""
        return analysis.rows is None and analysis.columns is None

    def propose(self, survey):
        """Propose the step where the crops show bands, and the whole picture bears them out."""
        params = self.measured(survey)
        if self.idle(params) or self.found_nothing(params, self.analyse(params, survey)):
            return None
        return params

    def findings(self, survey):
        """Return the bands along rows and along columns."""
        found = []
        for name, columns in (("rows", False), ("columns", True)):
            there, size, _ = _strength(survey, columns)
            if there:
                text = f"bands in {name}, {size * DISPLAY:.1f} levels"
                found.append(Finding(f"bands_{name}", text, size * DISPLAY, self.kind))
        return found

    def tell(self, params, analysis, found=None):
        """Return how strong the bands are."""
        found = [bands.size for bands in (analysis.rows, analysis.columns) if bands is not None]
        return f"{max(found) * DISPLAY:.2g} levels" if found else "none found"

    def ease(self, params, harm, noise):
        """Take less off where bands were drawn in."""
        if harm != "bands_drawn":
            return None
        return replace(params, rows=round(params.rows / 2, 2), columns=round(params.columns / 2, 2), protect=1.0)


def band_sizes(survey: Survey) -> tuple[float, float]:
    """Return the deviation of the bands along rows and along columns, in display values; 0 where none are found."""
    rows, columns = (_strength(survey, columns) for columns in (False, True))
    first, second = (DISPLAY * size if there else 0.0 for there, size, _ in (rows, columns))
    return first, second


def _part(setting: float) -> np.float32:
    """Return the part of the bands that goes: hardly any is left at 0.8."""
    return np.float32(1 - (1 - setting) ** 2)


def _reduced(offsets: np.ndarray, level: int) -> np.ndarray:
    """Return the offsets of a picture reduced by 2 ** level."""
    side = 1 << level
    padded = np.pad(offsets, ((0, -len(offsets) % side), (0, 0)), mode="edge")
    return padded.reshape(-1, side, offsets.shape[1]).mean(axis=1)


def _strength(survey: Survey, columns: bool) -> tuple[bool, float, bool]:
    """Return whether the survey's crops show bands, how strong, and whether these were added to light.

    Sensor lines are a matter of their own, and are left out. Measured once.
    """
    return survey.looks.once(f"bands {columns}", lambda: _strength_without_lines(survey, columns))


def _strength_without_lines(survey: Survey, columns: bool) -> tuple[bool, float, bool]:
    found = _strength_in(survey.crops, survey, columns)
    without = crops_without_lines(survey) if found[0] else None
    return found if without is None else _strength_in(without, survey, columns)


def _strength_in(crops: Sequence[np.ndarray], survey: Survey, columns: bool) -> tuple[bool, float, bool]:
    groups: dict[int, list[np.ndarray]] = {}
    for crop, region in zip(crops, survey.looks.crop_regions, strict=True):
        cells = average_cells(_turned(crop, columns))
        groups.setdefault(region[not columns], []).append(cells[:, : cells.shape[1] // SEGMENT * SEGMENT])
    rows = [np.concatenate(cells, axis=1) for cells in groups.values()]
    return _judge(np.concatenate(rows), survey)


def _judge(cells: np.ndarray, survey: Survey) -> tuple[bool, float, bool]:
    """Return the same of cells of the whole picture; what has no noise was drawn, and letters stand in lines."""
    if survey.base_noise.luminance == 0:
        return False, 0.0, False
    if survey.mosaic is not None:
        period = survey.mosaic.period
        found = [band_strength(cells[phase::period], unclipped=OF_SENSOR) for phase in range(period)]
        size, even = (float(value) for value in np.mean(found, axis=0))
        sigma = float(survey.base_noise.sigma[0, 0].min())
        of_noise, least_even = (_OF_NOISE, _EVEN) if period == 2 else (_OF_NOISE_FAR, _EVEN_FAR)
        return size > max(of_noise * sigma, _LEAST_OF_MOSAIC) and even > least_even, size, False
    least = max(_OF_NOISE * survey.base_noise.luminance / DISPLAY, _LEAST)
    for near in (NEAR, WIDER):
        (shown, even), (added, even_in_light) = (
            band_strength(cells, near=near, of_light=light) for light in (False, True)
        )
        of_light = even_in_light > _EVENER * even
        size = added if of_light else shown
        if size > least and max(even, even_in_light) > _EVEN:
            return True, max(size, _strength_of_wide(cells, of_light)), of_light
    return False, size, of_light


def _strength_of_wide(cells: np.ndarray, of_light: bool) -> float:
    """Return the strength of bands of several rows, 0 where it is the picture's own."""
    found = [band_strength(cells, near=near, of_light=of_light) for near in (WIDER, WIDEST)]
    return max((size for size, even in found if even > _EVEN), default=0.0)


def _find(survey: Survey, params: BandingParams, *, columns: bool) -> Bands | None:
    width, height = survey.size
    along = width if columns else height
    starts = range(0, along, _STRIP)
    strips: list[Region] = [
        (a, 0, min(a + _STRIP, width), height) if columns else (0, a, width, min(a + _STRIP, height)) for a in starts
    ]
    found = survey.looks.scan(
        lambda tile, region: average_cells(_turned(tile, columns)), strips, name=f"cells {columns}"
    )
    cells = np.concatenate(found)
    there, size, of_light = _judge(cells, survey)
    if not there:
        return None
    if survey.mosaic is None:
        return find_bands(cells, size=size, protect=params.protect, of_light=of_light).within(_MOST * size)
    offsets = np.empty((along, 1), np.float32)
    period = survey.mosaic.period
    for phase in range(period):  # lines of the same colours are compared
        own = find_bands(
            cells[phase::period], size=size, protect=params.protect, unclipped=OF_SENSOR, coarsest=_COARSEST_OF_MOSAIC
        )
        offsets[phase::period] = own.offsets
    return Bands(offsets, of_light=False).within(_MOST * size)


def _turned(tile: np.ndarray, columns: bool) -> np.ndarray:
    return tile.swapaxes(0, 1) if columns else tile


KIND = Banding()
