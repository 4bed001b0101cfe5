"""Judge what a route did, from patches of the picture and the noise carried through it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from dustpan.core.document.route import Document, Route
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.planes import place_of
from dustpan.core.filters.specks import SUPPORT
from dustpan.core.judge.findings import Finding, harm_findings, hot_pixel_finding, light_findings, noise_findings
from dustpan.core.judge.harm import (
    Figures,
    NoiseCells,
    Pair,
    Parts,
    clipped_of,
    figures_of,
    measure_parts,
    noise_cells,
    slope_gain,
)
from dustpan.core.judge.places import SIDE, Cells, Place, choose_patches, choose_proofs
from dustpan.core.noise.model import DISPLAY, TONES
from dustpan.core.picture.source import Region
from dustpan.core.render.engine import Engine, Plan, Stage, blocks_of
from dustpan.core.steps import kinds, new_step, reference_of
from dustpan.core.steps.base import Context
from dustpan.core.steps.mend.hot_pixels import HotPixels
from dustpan.core.work.pool import Priority, map_out, share_out

_NOTHING = 0.002  # tone under which nothing is left to be seen
_SMALL = 1_500_000  # pixels
_GRAIN = 8  # px; regions start on its multiples, so that sliding patches keep their places
_WHOLE = (0.0, 0.0, 1.0, 1.0)
_GRID_CELLS = 6000  # most cells of a noise grid
_PRIOR = 1.0  # cells that a tone counts as having without any
_TONE_BLUR = 0.06  # tone, how near a cell must be to count at a tone
Check = Callable[[], None]


def _nothing() -> None:
    """Stand in for a cancel check."""


@dataclass(frozen=True, eq=False)
class Report:
    """What a route did to a picture.

    noise_before, noise_after : luminance noise at `TONES` in 8-bit display levels, in the light of the route and after
    it; noise : the same averaged over the tones and places the picture has; figures : see `Figures`; places, pairs,
    parts : the patches it was taken from and what each adds; harm : what should not stay.
    """

    noise_before: np.ndarray
    noise_after: np.ndarray
    noise: tuple[float, float]
    figures: Figures
    places: Sequence[Place]
    pairs: Sequence[Pair]
    parts: Sequence[Parts]
    harm: Sequence[Finding] = ()


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


def reference_plan(engine: Engine, plan: Plan, *, check: Check = _nothing) -> Plan:
    """Return the plan that a route is judged against: the picture in the route's light, see `reference_of`."""
    working = Route(tuple(stage.step for stage in plan.working))
    return engine.plan(reference_of(Document(working)), check=check)


def judge(
    engine: Engine,
    plan: Plan,
    original: Plan,
    places: Sequence[Place],
    *,
    check: Check = _nothing,
    priority: int = Priority.AROUND,
) -> Report:
    """Return the report of a plan, from patches around places; `priority` is that of the threads that help.

    What is newly lost is told against the original, all else against the picture in the route's own light.
    """
    reference = reference_plan(engine, plan, check=check)
    regions = [region_around(p.x, p.y, SIDE, SIDE, plan.base.size) for p in places]
    # Of a small picture the patches are as much as the whole, whose blocks are wanted anyway.
    small = plan.base.size[0] * plan.base.size[1] < _SMALL
    read = engine.render if small else engine.sketch

    def patch(region: Region) -> tuple[Pair, np.ndarray]:
        before, after = read(reference, region, check=check), read(plan, region, check=check)
        return (before, after), before if reference.key == original.key else read(original, region, check=check)

    found = map_out(patch, regions, engine.pool, priority=priority)
    report = report_on(
        engine,
        plan,
        reference,
        regions,
        [f[0] for f in found],
        originals=[f[1] for f in found],
        places=places,
        check=check,
    )
    # Clipping is a share of the picture, so the patches chosen for their edges and texture must not count.
    fair = [part for place, part in zip(places, report.parts, strict=True) if place.name == "tone"] or report.parts
    lost = clipped_of(fair)
    figures = replace(report.figures, clipped_black=lost[0], clipped_white=lost[1])
    each = [figures_of([part]) for part in report.parts]
    harm = [_with_culprit(finding, plan) for finding in harm_findings(figures, places, each)]
    return replace(report, figures=figures, harm=harm)


def _with_culprit(finding: Finding, plan: Plan) -> Finding:
    """Return a harm with the step that has done it: the last that has gentler settings against it."""
    can = [stage for stage in plan.working if stage.kind.ease(stage.params, finding.what) is not None]
    rest = [stage for stage in plan.working if not stage.kind.only_mosaic]
    stage = (can or rest)[-1] if can or rest else None
    return finding if stage is None else replace(finding, step=stage.kind.kind, step_id=stage.step.id)


def report_on(
    engine: Engine,
    plan: Plan,
    reference: Plan,
    regions: Sequence[Region],
    pairs: Sequence[Pair],
    *,
    originals: Sequence[np.ndarray | None] | None = None,
    places: Sequence[Place] = (),
    check: Check = _nothing,
) -> Report:
    """Return the report of a plan from patches that are rendered already, without the harm."""
    size, field = plan.base.size, reference.noise_after()
    gain = slope_gain(field.spectrum[0, 0])

    def part(number: int) -> Parts:
        check()
        place = place_of(regions[number], size)
        original = originals[number] if originals else None
        return measure_parts(
            pairs[number], sigma=lambda tone: field.sigma(tone, place)[0], gain=gain, original=original
        )

    parts = map_out(part, range(len(pairs)), engine.pool, priority=Priority.AROUND)
    grid = noise_grid(engine, reference, check=check)
    before = noise_level(engine, reference, grid)
    fair = [n for n, place in enumerate(places) if place.name == "tone"] or range(len(pairs))
    cells = NoiseCells.joined([noise_in(reference, plan, pairs[n], regions[n]) for n in fair])
    curves = noise_over_tone(reference, grid.tone), noise_left_over_tone(plan, grid.tone, cells)
    left = _share_left(cells)
    return Report(*curves, (before, before * left), figures_of(parts), places, pairs, parts)


def noise_in(reference: Plan, plan: Plan, pair: Pair, region: Region) -> NoiseCells:
    """Return the luminance noise in the cells of a region, before a route (in its light) and after it."""
    place = place_of(region, plan.base.size)
    fields = (reference.noise_after(), plan.noise_after())
    sigma = [field.sigma(np.clip(tone_of(pixels), 0, 1), place)[0] for field, pixels in zip(fields, pair, strict=True)]
    return noise_cells(pair, *sigma)


def _share_left(cells: NoiseCells) -> float:
    """Return the part of the noise's deviation that is left over cells."""
    before = float(cells.before.sum())
    return (float(cells.after.sum()) / before) ** 0.5 if before > 0 else 0.0


@dataclass(frozen=True, eq=False)
class Grid:
    """A plan's result reduced to a few thousand cells: their tones, and the full-size noise there (working units)."""

    tone: np.ndarray
    sigma: np.ndarray

    @property
    def rms(self) -> float:
        """Noise of the whole picture."""
        return float(np.sqrt((self.sigma**2).mean()))


def noise_grid(engine: Engine, plan: Plan, *, check: Check = _nothing) -> Grid:
    """Return a picture's tones and luminance noise in cells, so that masks and local lifts count where they are."""
    level = 0
    while np.prod(plan.base.size_at(level)) > _GRID_CELLS:
        level += 1
    small = plan.at(level)
    tone = np.clip(tone_of(engine.sketch(small, (0, 0, *small.size), check=check)), 0, 1)
    return Grid(tone, plan.noise_after().sigma(tone, _WHOLE)[0])


def noise_level(engine: Engine, plan: Plan, grid: Grid) -> float:
    """Return a picture's luminance noise as one figure, in display levels: the measured one times the gain."""
    base = noise_grid(engine, replace(plan, prepared=())).rms
    return plan.base.noise.luminance * grid.rms / base if base > 0 else 0.0


def noise_over_tone(plan: Plan, tone: np.ndarray) -> np.ndarray:
    """Return luminance noise at `TONES` in display levels, averaged over the places where the picture has that tone."""
    field = plan.noise_after()
    curve = []
    for at in TONES:
        weight = np.exp(-0.5 * ((tone - at) / _TONE_BLUR) ** 2) + 1e-4
        sigma = field.sigma(np.full_like(tone, at), _WHOLE)[0]
        curve.append(np.sqrt((weight * sigma**2).sum() / weight.sum()))
    return np.array(curve) * DISPLAY


def noise_left_over_tone(plan: Plan, tone: np.ndarray, cells: NoiseCells) -> np.ndarray:
    """Return luminance noise (display levels) after a route at `TONES`, in bare areas and in texture together."""
    curve = noise_over_tone(plan, tone)
    more = cells.after / np.maximum(cells.bare, 1e-12)
    weight = np.exp(-0.5 * ((cells.tone - TONES[:, None]) / _TONE_BLUR) ** 2)
    kept = (weight * more).sum(axis=1) + _PRIOR
    return curve * np.sqrt(kept / (weight.sum(axis=1) + _PRIOR))


def noise_of_patch(reference: Plan, plan: Plan, pair: Pair, region: Region) -> tuple[float, float]:
    """Return the luminance noise of a region before a route (in its light) and after it, display levels."""
    cells = noise_in(reference, plan, pair, region)
    if not len(cells.tone):
        return 0.0, 0.0
    return float(np.sqrt(cells.before.mean()) * DISPLAY), float(np.sqrt(cells.after.mean()) * DISPLAY)


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
        *hot_pixel_finding(
            find_hot_pixels(engine, plan, check=check),
            base.size[0] * base.size[1] / 1e6,
            noiseless=base.noise.luminance == 0,
        ),
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
    """Return the worst pixels (x, y) of all specks that the step would mend at its proposed settings.

    plan : the original's. A mosaic is looked at before its development, as the step does.
    """
    step = Route((new_step("hot_pixels", "hot_pixels"),))
    if engine.source.mosaic is not None:
        return list(places_found(engine, engine.plan_mosaic(step, check=check), "hot_pixels", check=check))
    return list(places_found(engine, engine.plan(Document(step), check=check), "hot_pixels", check=check))


def places_found(engine: Engine, plan: Plan, step_id: str, *, check: Check = _nothing) -> tuple[tuple[int, int], ...]:
    """Return the places (x, y) that a step of a plan has found in the whole picture; the engine remembers them."""
    stage = plan.stage(step_id)
    assert stage is not None
    return engine.remember(("places", stage.raw_key), lambda: _search(engine, plan, stage, check), check=check)


def count_found(engine: Engine, plan: Plan, *, check: Check = _nothing) -> None:
    """Count what the steps of a plan have found, where a kind can tell it, so that cards give exact numbers."""
    for stage in plan.working:
        if isinstance(stage.kind, HotPixels):
            places_found(engine, plan, stage.step.id, check=check)


def counted(engine: Engine, stage: Stage) -> int | None:
    """Return how many places a step has found in the whole picture, or None when they were not counted yet."""
    places = engine.recall(("places", stage.raw_key))
    return None if places is None else len(places)


def _search(engine: Engine, plan: Plan, stage: Stage, check: Check) -> tuple[tuple[int, int], ...]:
    before = engine.before(plan, stage)
    size = before.base.size
    change_in = _change_of(engine, plan, before, stage, check)
    found: list[tuple[int, int]] = []

    def look(region: Region) -> None:
        check()
        wide = _with_margin(region, SUPPORT, size)
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

    share_out(look, list(blocks_of(size)), engine.pool, priority=Priority.AROUND)
    return tuple(sorted(found))


def _change_of(engine: Engine, plan: Plan, before: Plan, stage: Stage, check: Check) -> Callable[[Region], np.ndarray]:
    """Return what gives by how much each pixel of a region (h x w) is changed by a step, or marks of what it found.

    Where Base holds this step's changed pixels alone they are at hand; else the step looks again.
    """
    kind = stage.kind
    assert isinstance(kind, HotPixels)
    if plan.base.patches is not None and [s.raw_key for s in plan.mended if not s.idle] == [stage.raw_key]:
        return lambda region: np.abs(plan.base.read(region) - before.base.read(region)).max(axis=2)
    context = Context(stage.noise, before.size, 0, check, before.base.mosaic)
    marks_in = partial(kind.find, params=stage.params, analysis=stage.analysis, context=context)
    return lambda region: marks_in(engine.sketch(before, region, check=check), region).astype(np.float32)


def _with_margin(region: Region, margin: int, size: tuple[int, int]) -> Region:
    x0, y0, x1, y1 = region
    return max(x0 - margin, 0), max(y0 - margin, 0), min(x1 + margin, size[0]), min(y1 + margin, size[1])
