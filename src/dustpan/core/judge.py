"""Judge what a route did, from patches of the picture and the noise carried through it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from dustpan.core.engine import Engine, Plan, blocks_of
from dustpan.core.filters.specks import SUPPORT
from dustpan.core.measure.findings import Finding, harm_findings, hot_pixel_finding, light_findings, noise_findings
from dustpan.core.measure.harm import Figures, Pair, Parts, clipped_of, figures_of, measure_parts, slope_gain
from dustpan.core.measure.model import DISPLAY, TONES, NoiseField
from dustpan.core.measure.places import SIDE, Cells, Place, choose_patches, choose_proofs
from dustpan.core.picture import Region
from dustpan.core.pool import share_out
from dustpan.core.route import Document, Route
from dustpan.core.steps import kinds, new_step
from dustpan.core.steps.base import Context
from dustpan.core.steps.hot_pixels import HotPixels

_NOTHING = 0.002  # tone under which nothing is left to be seen
_SMALL = 1_500_000  # pixels
_GRAIN = 8  # px; regions start on its multiples, so that sliding patches keep their places
_MIDDLE = (0.5, 0.5, 0.5, 0.5)
Check = Callable[[], None]


def _nothing() -> None:
    """Stand in for a cancel check."""


@dataclass(frozen=True, eq=False)
class Report:
    """What a route did to a picture.

    noise_before, noise_after : luminance noise at `TONES` in 8-bit display levels; figures : see `Figures`;
    places, pairs, parts : the patches it was taken from and what each adds; harm : what should not stay.
    """

    noise_before: np.ndarray
    noise_after: np.ndarray
    figures: Figures
    places: Sequence[Place]
    pairs: Sequence[Pair]
    parts: Sequence[Parts]
    harm: Sequence[Finding] = ()

    @property
    def noise(self) -> tuple[float, float]:
        """Mean luminance noise over tone before and after, display levels."""
        return float(self.noise_before[1:-1].mean()), float(self.noise_after[1:-1].mean())


def cells_of(plan: Plan) -> Cells:
    """Return the base of a plan in cells, for choosing places."""
    level = plan.base.overview_level
    return Cells.of(plan.base.read((0, 0, *plan.base.size_at(level)), level), plan.base.size)


def proof_places(plan: Plan) -> list[Place]:
    """Return the five places that show best how far a route goes."""
    return choose_proofs(cells_of(plan))


def patch_places(plan: Plan) -> list[Place]:
    """Return the places of a survey."""
    return choose_patches(cells_of(plan))


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
    # Of a small picture the patches are as much as the whole, whose blocks are wanted anyway.
    small = plan.base.size[0] * plan.base.size[1] < _SMALL
    read = engine.render if small else engine.sketch
    pairs = [(read(before, region, check=check), read(plan, region, check=check)) for region in regions]
    report = report_on(plan, places, pairs, check=check)
    # Clipping is a share of the picture, so the patches chosen for their edges and texture must not count.
    fair = [part for place, part in zip(places, report.parts, strict=True) if place.name == "tone"] or report.parts
    lost = clipped_of(fair)
    figures = replace(report.figures, clipped_black=lost[0], clipped_white=lost[1])
    each = [figures_of([part]) for part in report.parts]
    return replace(report, figures=figures, harm=harm_findings(figures, places, each))


def report_on(plan: Plan, places: Sequence[Place], pairs: Sequence[Pair], *, check: Check = _nothing) -> Report:
    """Return the report of a plan from patches that are rendered already, without the harm."""
    noise = plan.base.noise
    gain = slope_gain(noise.spectrum[0, 0])
    parts = []
    for pair in pairs:
        check()
        parts.append(measure_parts(pair, sigma=lambda tone: noise.at(tone)[0], gain=gain))
    curves = (noise.sigma[0, 0] * DISPLAY, luminance_noise(plan.noise_after(), TONES))
    return Report(*curves, figures_of(parts), places, pairs, parts)


def find_faults(engine: Engine, plan: Plan, *, check: Check = _nothing) -> list[Finding]:
    """Return what is wrong with a picture.

    plan : the original's (for a mosaic, developed). Every pixel is looked at once for hot pixels and clipping.
    """
    base, source = plan.base, engine.source
    survey = engine.survey(plan, check=check)
    exposure = kinds()["exposure"].propose(survey)
    rendered = source.linear and not source.metadata.camera
    check()
    return [
        *hot_pixel_finding(find_hot_pixels(engine, plan, check=check), base.size[0] * base.size[1] / 1e6),
        *light_findings(cells_of(plan), getattr(exposure, "ev", 0.0), _lost(survey.overview)),
        *noise_findings(base.noise, rendered=rendered),
    ]


def _lost(overview: np.ndarray) -> dict[str, float]:
    """Return the shares of areas, not of single noisy pixels, that hold nothing at black, or are cut off at white."""
    return {
        "black": float((overview <= _NOTHING).all(axis=2).mean()),
        "white": float((overview >= 1 - _NOTHING).any(axis=2).mean()),
    }


def find_hot_pixels(engine: Engine, plan: Plan, *, check: Check = _nothing) -> list[tuple[int, int]]:
    """Return the worst pixels (x, y) of all specks that the step would mend at its proposed settings."""
    change_in = _change_of(engine, plan, check)
    found: list[tuple[int, int]] = []

    def look(region: Region) -> None:
        check()
        wide = _with_margin(region, SUPPORT, plan.base.size)
        change = change_in(wide)
        rows, columns = np.nonzero(change)
        if not len(rows):
            return
        joined = cv2.dilate((change > 0).view(np.uint8), np.ones((3, 3), np.uint8))
        speck = cv2.connectedComponents(joined, connectivity=8)[1][rows, columns]
        worst = np.lexsort((-change[rows, columns], speck))[np.unique(np.sort(speck), return_index=True)[1]]
        for x, y in zip((columns[worst] + wide[0]).tolist(), (rows[worst] + wide[1]).tolist(), strict=True):
            if region[0] <= x < region[2] and region[1] <= y < region[3]:
                found.append((x, y))

    share_out(look, list(blocks_of(plan.base.size)), engine.pool)
    return sorted(found)


def _change_of(engine: Engine, plan: Plan, check: Check) -> Callable[[Region], np.ndarray]:
    """Return what gives by how much each pixel of a region (h x w) is to be changed.

    Of a picture that is no mosaic these are the pixels that the step would change: a route that has the step needs
    them anyway, and the engine keeps them. A mosaic is looked at before its development, as the step does.
    """
    kind = kinds()["hot_pixels"]
    assert isinstance(kind, HotPixels)
    if engine.source.mosaic is not None:
        plan = engine.plan_mosaic(Route(), check=check)
    elif not plan.stages and not plan.mended:
        mended = engine.plan(Document(Route((new_step(kind.kind, kind.kind),))), check=check)
        if mended.base.patches is not None:
            return lambda region: np.abs(mended.base.read(region) - plan.base.read(region)).max(axis=2)
    context = Context(plan.noise_after(), plan.base.size, 0, check, plan.base.mosaic)
    analysis = kind.analyse(kind.params_type(), engine.survey(plan, check=check))
    marks_in = partial(kind.find, params=kind.params_type(), analysis=analysis, context=context)
    return lambda region: marks_in(plan.base.read(region), region).astype(np.float32)


def _with_margin(region: Region, margin: int, size: tuple[int, int]) -> Region:
    x0, y0, x1, y1 = region
    return max(x0 - margin, 0), max(y0 - margin, 0), min(x1 + margin, size[0]), min(y1 + margin, size[1])


def luminance_noise(field: NoiseField, tones: np.ndarray) -> np.ndarray:
    """Return luminance noise in display levels at tones, in the middle of the picture."""
    return field.sigma(np.asarray(tones, np.float32)[None], _MIDDLE)[0, 0] * DISPLAY
