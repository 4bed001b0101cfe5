"""Sensor lines: rows or columns at a fixed period, shifted against their neighbours, as flare draws them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.line_search import find_lines
from dustpan.core.filters.lines import SUPPORT, Crop, Lines, mend_lines
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region
from dustpan.core.picture.source import Mosaic
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import StepKind

_DIRECTIONS = ("auto", "rows", "columns")
_LEAST, _LEAST_OF_MOSAIC = 0.3 / DISPLAY, 1e-4  # offsets that are worth a line
_APART = 3  # px between compared rows of a developed picture, in which a line is smeared to its neighbours


@dataclass(frozen=True)
class SensorLinesParams(Params):
    """Settings of the sensor-lines step."""

    direction: str = param("Look for", "auto", "Lines along rows or columns, or what is found.", choices=_DIRECTIONS)
    strength: float = param(
        "Strength", 1.0, "How much of the lines' offset is taken off.", low=0.0, high=1.0, step=0.05
    )
    period: float = param(
        "Period", 0.0, "Distance from line to line; 0: as found.", unit="px", low=0.0, high=64.0, step=1.0
    )


@dataclass(frozen=True)
class LinesAnalysis:
    """Lines of the whole picture, and whether they are columns."""

    lines: Lines
    columns: bool


class SensorLines(StepKind):
    """Bring the lines that some sensors draw at a fixed distance back to their neighbours."""

    kind = "sensor_lines"
    stage = "Mend"
    order = 30
    label = "Sensor lines"
    help = "Takes off fine lines at a fixed distance, as focus sites of a sensor draw them near flare."
    params_type = SensorLinesParams
    keeps_noise = True
    takes_mosaic = True

    def support(self, params, analysis):
        """Return 96 px, or none without lines."""
        return SUPPORT if analysis is not None else 0

    def measured(self, survey):
        """Return the settings that are always proposed: what is found is taken off."""
        return SensorLinesParams()

    def analyse(self, params, survey):
        """Return the lines, or None where there are none."""
        return _find(survey, params)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its lines brought back; looks 96 px around."""
        return _mended(tile, region, analysis, context.mosaic, float(params.strength))

    def scaled(self, params, level):
        """Leave the step out of drafts, in which fine lines are averaged away."""
        return None

    def idle(self, params):
        """Return whether nothing is taken off."""
        return params.strength == 0

    def found_nothing(self, params, analysis):
        """Return whether there are no lines."""
        return analysis is None

    def propose(self, survey):
        """Propose the step where lines are found."""
        params = SensorLinesParams()
        return None if _find(survey, params) is None else params

    def findings(self, survey):
        """Return the lines of the picture."""
        found = _find(survey, SensorLinesParams())
        if found is None:
            return []
        size = found.lines.size * DISPLAY
        direction = "columns" if found.columns else "rows"
        text = f"sensor lines, every {found.lines.period} {direction}"
        return [Finding("sensor_lines", text, size, self.kind, more=f"up to {size:.1f} levels")]

    def tell(self, params, analysis, found=None):
        """Return how far the lines are apart."""
        if analysis is None:
            return "none found"
        return f"every {analysis.lines.period} {'columns' if analysis.columns else 'rows'}"


def _apart(mosaic: Mosaic | None) -> int:
    return _APART if mosaic is None else mosaic.period


def _find(survey: Survey, params: SensorLinesParams) -> LinesAnalysis | None:
    """Return the lines, or None, looked for once with the settings that bear on it."""
    asked = params.direction, params.period
    return survey.looks.once(f"lines {asked}", lambda: _look_for(survey, params))


def _look_for(survey: Survey, params: SensorLinesParams) -> LinesAnalysis | None:
    """Return the lines, or None; what has no noise was drawn, and letters on a page repeat as lines do."""
    if survey.base_noise.luminance == 0:
        return None
    least = _LEAST if survey.mosaic is None else _LEAST_OF_MOSAIC
    crops = list(zip(survey.crops, survey.looks.crop_regions, strict=True))

    def look(columns: bool) -> LinesAnalysis | None:
        turned = [_crop(crop, region[:2], columns) for crop, region in crops]
        lines = find_lines(turned, apart=_apart(survey.mosaic), least=least, period=round(params.period))
        return None if lines is None else LinesAnalysis(lines, columns)

    asked = [columns for columns in (False, True) if params.direction in ("auto", "columns" if columns else "rows")]
    found = [one for one in survey.looks.spread(look, asked) if one is not None]
    return max(found, key=lambda one: one.lines.size, default=None)


def crops_without_lines(survey: Survey) -> list[np.ndarray] | None:
    """Return a survey's crops with their lines brought back, or None where they have none."""
    found = _find(survey, SensorLinesParams())
    if found is None:
        return None

    def mend(crop: tuple[np.ndarray, Region]) -> np.ndarray:
        return _mended(crop[0], crop[1], found, survey.mosaic, 1.0)

    return survey.looks.spread(mend, list(zip(survey.crops, survey.looks.crop_regions, strict=True)))


def _mended(
    tile: np.ndarray, region: Region, found: LinesAnalysis, mosaic: Mosaic | None, strength: float
) -> np.ndarray:
    turned, first = (tile.swapaxes(0, 1), region[0]) if found.columns else (tile, region[1])
    mended = mend_lines(turned, first, found.lines, apart=_apart(mosaic), strength=strength)
    return mended.swapaxes(0, 1) if found.columns else mended


def _crop(crop: np.ndarray, at: tuple[int, int], columns: bool) -> Crop:
    tone = crop[..., 0] if crop.shape[2] == 1 else tone_of(crop)
    return (np.ascontiguousarray(tone.T), at[::-1]) if columns else (tone, at)


KIND = SensorLines()
