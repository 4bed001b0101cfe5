"""Grown: a thing that was clicked on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.forms import SEEDS
from dustpan.core.document.params import Params, param
from dustpan.core.filters.grow import grow
from dustpan.core.filters.guided import find_outline
from dustpan.core.filters.planes import shrink_to
from dustpan.core.where.part_kind import PartKind

_RADII = (0.02, 0.01)  # of the longer side: the cut is close to the outline already


@dataclass(frozen=True)
class GrownParams(Params):
    """Settings of a thing that was clicked on."""

    seeds: tuple[tuple[float, float, bool], ...] = param(
        "Clicks", (), "Places on the thing, and places that do not belong to it.", form=SEEDS, widget="seeds"
    )


class Grown(PartKind):
    """Cover a thing that was clicked on: what looks like it and is connected with it."""

    kind = "grown"
    order = 70
    label = "Thing"
    help = "Click on a thing: what looks alike and is connected is covered; clicks with the other button leave out."
    params_type = GrownParams

    def reads(self, params):
        """Return whether anything was clicked on."""
        return any(belongs for _, _, belongs in params.seeds)

    def analyse(self, params, survey):
        """Return the outline of the thing."""
        if not self.reads(params):
            return None
        cover = grow(survey.overview, params.seeds)
        picture = shrink_to(survey.overview, max(cover.shape))
        return find_outline(picture, cover, _RADII)

    def cover(self, tile, region, params, analysis, context):
        """Return shares: 1 on the thing."""
        if tile is None or analysis is None:
            return np.zeros((region[3] - region[1], region[2] - region[0]), np.float32)
        return analysis.cover(tile, region, context.size)


KIND = Grown()
