"""Fireflies: stray bright pixels that a path tracer leaves when it has seen too few paths of light."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.fireflies import find_fireflies, mend_fireflies, support
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.features import OTHER_SURFACE
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.marks import show_marks
from dustpan.core.steps.step_kind import Inside, StepKind

STRENGTH_GUIDED = 0.36  # that is proposed where cleaning can be guided by feature channels
_A_FEW = 25.0  # clear fireflies in a megapixel that are not worth a word: glints on metal count as many
_LEAST = 5  # of these in the crops, under which they are no evidence
_CLEARER = 1.0, 7 / 3, 4.0  # how much farther pixels have to stand out, to be counted
_STRAY = 0.2, 0.3  # share of the peaks that are as much higher as the next of these, from which they are no texture's
_OVER_TEXTURE = 5.67  # how much farther pixels have to stand out where all peaks may be texture


@dataclass(frozen=True)
class FirefliesParams(Params):
    """Settings of the firefly step."""

    strength: float = param(
        "Strength", 0.5, "How little a pixel may stand out; higher finds fainter ones.", low=0.0, high=1.0, step=0.05
    )
    radius: float = param(
        "Radius", 3.0, "What is as large as this is no firefly but a highlight.", unit="px", low=1.0, high=8.0, step=1.0
    )
    spare_highlights: float = param(
        "Spare highlights", 0.7, "Higher keeps glints that are seen in several pixels.", low=0.0, high=1.0, step=0.05
    )


@dataclass(frozen=True)
class FireflyAnalysis:
    """What the step knows of the whole picture.

    Attributes
    ----------
    clear : clear peaks in a megapixel.
    stray : whether there are more high peaks than a texture has that has as many low ones.
    """

    clear: float
    stray: bool

    @property
    def clearer(self) -> float:
        """How much farther than otherwise a pixel has to stand out."""
        return 1.0 if self.stray else _OVER_TEXTURE


class Fireflies(StepKind):
    """Bring stray bright pixels of a rendered picture down to their surroundings."""

    kind = "fireflies"
    stage = "Mend"
    order = 20
    label = "Fireflies"
    help = "Brings stray bright pixels of rendered pictures down; real highlights are kept."
    params_type = FirefliesParams
    keeps_noise = True
    marks = True
    inside: ClassVar = {"found": Inside("Fireflies found", "strength", fine=True)}

    def support(self, params, analysis):
        """Return 12 to 40 px."""
        return support(round(params.radius))

    def measured(self, survey):
        """Return the settings that are always proposed."""
        return FirefliesParams()

    def analyse(self, params, survey):
        """Return how many high peaks the picture has beside low ones, counted on the survey's crops."""
        return survey.looks.once("peaks of light", lambda: _count_peaks(survey))

    def mark(self, tile, region, params, analysis, context: Context):
        """Return the marks (h x w bool) of fireflies in a tile."""
        return _found(tile, region, params, analysis, context)[0]

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its fireflies brought down; looks `support` px around."""
        marks, base = _found(tile, region, params, analysis, context)
        return mend_fireflies(tile, marks, base, radius=round(params.radius))

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return white where a firefly was found, grown to 3 px, on a dim picture."""
        return show_marks(self.mark(tile, region, params, analysis, context), tone_of(tile))

    def scaled(self, params, level):
        """Leave the step out of drafts: reduced pictures hold no single pixels."""
        return None

    def idle(self, params):
        """Return whether nothing is brought down."""
        return params.strength == 0

    def propose(self, survey):
        """Propose the step where a rendered picture has fireflies.

        With feature channels only the clearer ones: cleaning that is guided by them takes the others and keeps their
        light.
        """
        return _usual(survey) if self.findings(survey) else None

    def findings(self, survey):
        """Return the fireflies of a rendered picture, when they are more than a few."""
        if not survey.source.rendered:
            return []
        peaks = self.analyse(FirefliesParams(), survey)
        if not peaks.stray or peaks.clear <= _A_FEW:
            return []
        points = survey.looks.find_points(self.kind, _usual(survey))
        return [Finding("fireflies", f"{len(points)} fireflies", float(len(points)), self.kind, points)]

    def tell(self, params, analysis, found=None):
        """Return how many were brought down."""
        if found is None:
            return ""
        return f"{found} mended" if found else "none found"


def _usual(survey: Survey) -> FirefliesParams:
    """Return the settings that are proposed."""
    return FirefliesParams() if survey.source.features is None else FirefliesParams(strength=STRENGTH_GUIDED)


def _count_peaks(survey: Survey) -> FireflyAnalysis:
    """Return the evidence of peaks: a texture has few that are high, stray light as many as low ones."""
    usual = FirefliesParams()

    def count(crop: np.ndarray) -> list[int]:
        surface = np.zeros((*crop.shape[:2], 0), np.float32)
        return [int(_marked(crop, surface, usual, clearer)[0].sum()) for clearer in _CLEARER]

    counts = np.sum(survey.looks.spread(count, survey.crops), axis=0)
    pixels = sum(crop.shape[0] * crop.shape[1] for crop in survey.crops)
    stray = counts[-1] >= _LEAST and bool((counts[1:] >= np.array(_STRAY) * counts[:-1]).all())
    return FireflyAnalysis(1e6 * float(counts[1]) / pixels, stray)


def _found(
    tile, region, params: FirefliesParams, analysis: FireflyAnalysis | None, context: Context
) -> tuple[np.ndarray, np.ndarray]:
    surface = np.zeros((*tile.shape[:2], 0), np.float32)
    if context.features is not None:
        surface = np.moveaxis(context.features.surface(region, **OTHER_SURFACE), 0, 2)
    return _marked(tile, surface, params, 1.0 if analysis is None else analysis.clearer)


def _marked(tile, surface, params: FirefliesParams, clearer: float) -> tuple[np.ndarray, np.ndarray]:
    return find_fireflies(
        tile,
        surface,
        strength=params.strength,
        radius=round(params.radius),
        spare=params.spare_highlights,
        clearer=clearer,
    )


KIND = Fireflies()
