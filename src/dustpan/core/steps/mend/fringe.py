"""Fringe: coloured rims beside strong edges, as lenses draw them round bright things, lose their colour."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.fringe import edge_gate, hue_of, support, take_fringes
from dustpan.core.filters.fringe_hues import measure_fringes, measure_radius
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.survey import Points, Survey
from dustpan.core.steps.context import Context
from dustpan.core.steps.drafts import with_reduced_radius
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import Inside, StepKind

_LOOKED_AT = 2.0  # px, radius of the rims by which fringes are separated from other colour at edges


@dataclass(frozen=True)
class FringeParams(Params):
    """Settings of the fringe step."""

    auto: bool = param("As measured", True, "Hues and width of the rims follow from the picture.")
    hue: float = param(
        "Hue", 300.0, "Of the rims: 0 red, 120 green, 240 blue.", unit="deg", low=0.0, high=360.0, step=5.0, picked=True
    )
    hue_width: float = param(
        "Hue width", 60.0, "Range of hues that are taken for rims.", unit="deg", low=5.0, high=180.0, step=5.0
    )
    strength: float = param(
        "Strength", 0.8, "How much of the rims' colour is taken off.", low=0.0, high=1.0, step=0.05, apart=True
    )
    radius: float = param("Radius", 2.0, "Half the width of the widest rim.", unit="px", low=0.5, high=10.0, step=0.5)
    edge: float = param(
        "Edge", 0.3, "How strong an edge with rims is; lower finds more.", low=0.0, high=1.0, step=0.05, apart=True
    )


@dataclass(frozen=True)
class FringeAnalysis:
    """The hues of the rims, degrees, and their mean colour in display values."""

    hues: tuple[float, ...]
    size: float


class Fringe(StepKind):
    """Pull coloured rims beside strong edges to the colour around them."""

    kind = "fringe"
    stage = "Mend"
    order = 70
    label = "Fringe"
    help = "Takes the colour off purple or green rims beside strong edges; things of that hue elsewhere are kept."
    params_type = FringeParams
    keeps_noise = True
    inside: ClassVar = {"edges": Inside("Edges that may have rims", "edge")}

    def support(self, params, analysis):
        """Return 12 to 28 px: the opening, and the edge near it."""
        return support(params.radius)

    def measured(self, survey):
        """Return hue and radius of the strongest rims; the settings that are always proposed where there are none."""
        usual = FringeParams()
        hues, _, _ = _measure(survey, usual)
        if not hues:
            return usual
        radius = measure_radius(survey.crops, hues[0], width=usual.hue_width, edge=usual.edge)
        return FringeParams(hue=round(hues[0]), radius=radius)

    def resolve(self, params, measured):
        """Return the measured hue and radius when `auto` is on."""
        own = {"hue": measured.hue, "hue_width": measured.hue_width, "radius": measured.radius}
        return replace(params, **own) if params.auto else params

    def analyse(self, params, survey):
        """Return the hues of the rims: all that were measured, or the one that is set."""
        hues, size, _ = _measure(survey, params)
        return FringeAnalysis(tuple(hues) if params.auto else (params.hue,), size * DISPLAY)

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its rims' colour taken off; looks `support` px around."""
        return take_fringes(
            tile,
            analysis.hues,
            width=params.hue_width,
            strength=params.strength,
            radius=params.radius,
            edge=params.edge,
        )

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return white where an edge is strong enough to have rims."""
        gate = edge_gate(tile, radius=params.radius, edge=params.edge)
        return np.repeat(gate[..., None], 3, axis=2).astype(np.float32)

    def scaled(self, params, level):
        """Return the settings with the radius of the reduced picture; None when no rim is left."""
        return with_reduced_radius(params, level, least=0.5)

    def idle(self, params):
        """Return whether nothing is taken off."""
        return params.strength == 0

    def found_nothing(self, params, analysis):
        """Return whether there are no rims."""
        return not analysis.hues

    def propose(self, survey):
        """Propose the step, on automatic, where fringes are found."""
        return FringeParams() if _measure(survey, FringeParams())[0] else None

    def findings(self, survey):
        """Return the fringes, with places."""
        hues, size, points = _measure(survey, FringeParams())
        if not hues:
            return []
        names = " and ".join(_name(hue) for hue in hues)
        text = f"{names} rims, {size * DISPLAY:.0f} levels"
        return [Finding("fringe", text, size * DISPLAY, self.kind, points)]

    def tell(self, params, analysis, found=None):
        """Return the hues that are taken off."""
        return ", ".join(_name(hue) for hue in analysis.hues) or "none found"

    def pick(self, key, colour):
        """Return the hue of a colour."""
        return round(hue_of(colour))


def _measure(survey: Survey, params: FringeParams) -> tuple[list[float], float, Points]:
    """Return the hues of the rims, their strength and their places, measured once for each edge setting."""
    return survey.looks.once(f"rims {params.edge}", lambda: _look_for(survey, params))


def _look_for(survey: Survey, params: FringeParams) -> tuple[list[float], float, Points]:
    if survey.mosaic is not None:
        return [], 0.0, ()
    hues, size, places = measure_fringes(
        survey.crops,
        radius=_LOOKED_AT,
        edge=params.edge,
        noise=survey.base_noise.colour / DISPLAY,
        each=survey.looks.spread,
    )
    corners = [region[:2] for region in survey.looks.crop_regions]
    return hues, size, tuple((x + corners[n][0], y + corners[n][1]) for n, x, y in places)


def _name(hue: float) -> str:
    """Return a word for a hue."""
    names = ("red", "yellow", "green", "cyan", "blue", "purple")
    return names[round(hue / 60) % 6]


KIND = Fringe()
