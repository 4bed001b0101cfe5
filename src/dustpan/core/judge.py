"""Judge what a route did, from patches of the picture and the noise carried through it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.engine import Engine, Plan
from dustpan.core.measure.harm import Figures, Pair, measure_harm, slope_gain
from dustpan.core.measure.model import DISPLAY, TONES, NoiseField
from dustpan.core.measure.places import SIDE, Cells, Place, choose_patches, choose_proofs
from dustpan.core.picture import Region

_GRAIN = 8  # px; regions start on its multiples, so that sliding patches keep their places
_MIDDLE = (0.5, 0.5, 0.5, 0.5)
Check = Callable[[], None]


def _nothing() -> None:
    """Stand in for a cancel check."""


@dataclass(frozen=True, eq=False)
class Report:
    """What a route did to a picture.

    noise_before, noise_after : luminance noise at `TONES` in 8-bit display levels; figures : see `Figures`;
    places, pairs : the patches it was taken from.
    """

    noise_before: np.ndarray
    noise_after: np.ndarray
    figures: Figures
    places: Sequence[Place]
    pairs: Sequence[Pair]

    @property
    def noise(self) -> tuple[float, float]:
        """Mean luminance noise over tone before and after, display levels."""
        return float(self.noise_before[1:-1].mean()), float(self.noise_after[1:-1].mean())


def cells_of(engine: Engine, plan: Plan) -> Cells:
    """Return the base of a plan in cells, for choosing places."""
    level = plan.base.overview_level
    return Cells.of(plan.base.read((0, 0, *plan.base.size_at(level)), level), plan.base.size)


def proof_places(engine: Engine, plan: Plan) -> list[Place]:
    """Return the five places that show best how far a route goes."""
    return choose_proofs(cells_of(engine, plan))


def patch_places(engine: Engine, plan: Plan) -> list[Place]:
    """Return the places of a survey."""
    return choose_patches(cells_of(engine, plan))


def region_around(x: float, y: float, width: int, height: int, size: tuple[int, int]) -> Region:
    """Return a region of about width x height px around a place, inside the picture, on whole steps of 8 px."""
    width, height = min(width, size[0]), min(height, size[1])
    left = min(max(round(x - width / 2), 0), size[0] - width) // _GRAIN * _GRAIN
    top = min(max(round(y - height / 2), 0), size[1] - height) // _GRAIN * _GRAIN
    return left, top, left + width, top + height


def read_pair(engine: Engine, before: Plan, after: Plan, region: Region, *, check: Check = _nothing) -> Pair:
    """Return working pixels of a region before and after."""
    return engine.sketch(before, region, check=check), engine.sketch(after, region, check=check)


def judge(engine: Engine, plan: Plan, before: Plan, places: Sequence[Place], *, check: Check = _nothing) -> Report:
    """Return the report of a plan against another (as a rule the original), from patches around places."""
    regions = [region_around(p.x, p.y, SIDE, SIDE, plan.base.size) for p in places]
    return report_on(plan, places, [read_pair(engine, before, plan, region, check=check) for region in regions])


def report_on(plan: Plan, places: Sequence[Place], pairs: Sequence[Pair]) -> Report:
    """Return the report of a plan from patches that are rendered already."""
    noise = plan.base.noise
    figures = measure_harm(
        pairs, sigma=lambda tone: noise.at(tone.astype(np.float32))[0], gain=slope_gain(noise.spectrum[0, 0])
    )
    curves = (noise.sigma[0, 0] * DISPLAY, luminance_noise(plan.noise_after(), TONES))
    return Report(*curves, figures, places, pairs)


def luminance_noise(field: NoiseField, tones: np.ndarray) -> np.ndarray:
    """Return luminance noise in display levels at tones, in the middle of the picture."""
    return field.sigma(np.asarray(tones, np.float32)[None], _MIDDLE)[0, 0] * DISPLAY
