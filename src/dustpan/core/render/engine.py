"""The engine of one picture: makes plans of documents, and renders them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.document.params import Params
from dustpan.core.document.route import Part, Route, Step, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.noise.camera import measure_with_camera
from dustpan.core.noise.fields import ModelField, NoiseField
from dustpan.core.noise.measured import MeasuredNoise, measure_base, measure_base_in
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.survey import Points, Survey
from dustpan.core.picture.base import Base, WholeBase
from dustpan.core.picture.region import Extent, Region
from dustpan.core.picture.source import Source
from dustpan.core.render.bases import make_base
from dustpan.core.render.plan import Plan, Prepared, digest
from dustpan.core.render.points import search_points
from dustpan.core.render.renderer import Renderer
from dustpan.core.render.store import Stores
from dustpan.core.render.survey import make_survey
from dustpan.core.steps import kinds
from dustpan.core.steps.own_curve import in_own_curve
from dustpan.core.steps.step_kind import StepKind
from dustpan.core.where import part_kinds
from dustpan.core.where.fold import part_reads
from dustpan.core.work.cancel import Check, no_check
from dustpan.core.work.pool import Pool

_BUDGET = 1 << 30  # bytes of blocks that an engine without shared stores keeps
_LOUD = 1.0  # display values of noise from which a Where looks at the picture made quiet
_QUIETED = {"auto": False, "luminance": 100, "colour": 100, "detail_return": 0}


class _Analysed(NamedTuple):
    """What the analysis of a step's input gave."""

    params: Params
    measured: Params | None
    analysis: Any
    noise: NoiseField


class Engine(Renderer):
    """Make plans of documents on one source, and render them.

    Parameters
    ----------
    source : the picture.
    stores : what is kept, perhaps shared with engines of other pictures.
    noise : a model to use instead of measuring, for documents that bring none.
    pool : threads that help when a whole picture is needed at once.
    visible : noise that proposals may leave, in units of what can just be seen: see `noise.visibility`.
    bare : places that are known to be empty, where the noise is measured for routes that name none.
    """

    def __init__(
        self,
        source: Source,
        *,
        stores: Stores | None = None,
        noise: NoiseModel | None = None,
        pool: Pool | None = None,
        visible: float = 1.0,
        bare: tuple[Extent, ...] = (),
    ):
        super().__init__(stores or Stores.of(_BUDGET))
        self.source, self.pool, self.visible, self.bare = source, pool, visible, bare
        self._fixed_noise = None if noise is None else MeasuredNoise.known(noise)
        facts = source.metadata.camera, source.metadata.iso, source.metadata.exposure
        fixed = None if noise is None else noise.key
        known = None if source.known is None else source.known.tobytes()
        self._camera_noise = None if source.camera_noise is None else NoiseModel.from_json(dict(source.camera_noise))
        of_camera = None if self._camera_noise is None else self._camera_noise.key
        curve = None if source.curve is None else source.curve.key
        key = digest(source.key, facts, fixed, known, of_camera, curve)
        self.base = WholeBase.of(source, key, pool=pool)
        noise_of_base = self._fixed_noise or self._measured(self.base, ())
        self._unmended = Plan(self.base, noise_of_base, features=source.features, known=source.known)

    @property
    def noise(self) -> NoiseModel:
        """The noise of the source."""
        return self._start(self.bare, None).noise

    def told_before(self, plan: Plan) -> NoiseModel | None:
        """Return the noise measured in the whole picture, where a plan's is another; None elsewhere."""
        other = plan.bare or plan.noise_given is not None
        return self._unmended.base_noise.at_hand if other and plan.base.mosaic is None else None

    def _start(self, bare: tuple[Extent, ...], given: Mapping[str, Any] | None) -> Plan:
        """Return the plan of the picture as it came; its noise is given, or measured, in bare places if there are any.

        Parameters
        ----------
        given : a noise model as plain values, or None.
        """
        if given is not None:
            noise = MeasuredNoise.known(NoiseModel.from_json(dict(given)))
            return replace(self._unmended, base_noise=noise, noise_given=given, noise_key=digest(given))
        if not bare or self._fixed_noise is not None:
            return self._unmended
        return replace(self._unmended, base_noise=self._measured(self.base, bare), bare=bare)

    # -- planning ---------------------------------------------------------------------------------------------

    def plan(
        self, document: Document, *, frozen: Plan | None = None, outline: bool = False, check: Check = no_check
    ) -> Plan:
        """Make a document ready: resolve automatic settings, look at the picture, carry the noise.

        Parameters
        ----------
        frozen : an earlier plan whose measurements are kept for steps that have not changed themselves, while
            a slider of an earlier step is being dragged.
        outline : leave the leading Mend steps among the prepared ones, so that nothing is made of the whole picture:
            for proposals, which look at its overview and at crops.
        """
        route = document.route
        steps = [replace(step, where=route.resolved(step.where)) for step in self._working_steps(route)]
        plan = replace(self._start(bare_places(route) or self.bare, document.noise), outline=outline)
        if self.source.mosaic is not None:
            developed = 1 + next(index for index, step in enumerate(steps) if step.develops)
            plan, steps = self._mend(plan, steps[:developed], check), steps[developed:]
        leading = 0
        while not outline and leading < len(steps) and kinds()[steps[leading].kind].stage == "Mend":
            leading += 1
        plan = self._mend(plan, steps[:leading], check)
        for step in steps[leading:]:
            check()
            plan = self._extend(plan, step, frozen, check)
        return plan

    def plan_mosaic(self, route: Route, *, check: Check = no_check) -> Plan:
        """Return the plan of steps that work on a sensor's mosaic, before its development."""
        plan = self._start(bare_places(route) or self.bare, None)
        for step in route:
            plan = self._extend(plan, step, None, check)
        return plan

    def plan_before(self, plan: Plan, prepared: Prepared) -> Plan:
        """Return the plan of the steps before one of a plan's, whether Base holds it or not."""
        mended = [other.step.id for other in plan.mended]
        if prepared.step.id in mended:
            return replace(
                self._start(plan.bare, plan.noise_given), prepared=plan.mended[: mended.index(prepared.step.id)]
            )
        return plan.before(prepared)

    def _working_steps(self, route: Route) -> list[Step]:
        """Return the steps that work; a mosaic is developed as the camera says when the route leaves that out.

        Raises RemedyError when the route can't work on a mosaic. Development is left out for other pictures.
        """
        if self.source.mosaic is None:
            return [step for step in route if step.can_work and not step.develops]
        if not any(step.develops for step in route):
            route = route.of((*route.original(mosaic=True), *route))
        if faults := route.mosaic_faults():
            raise RemedyError("route", faults)
        return [step for step in route if step.can_work]

    def survey(self, plan: Plan, *, check: Check = no_check) -> Survey:
        """Return what a step placed behind a plan may look at."""
        find = partial(self.find_points, check=check)
        survey = make_survey(self, plan, self.source, find, pool=self.pool, check=check)
        return replace(survey, visible=self.visible, bare=plan.bare)

    def _extend(self, plan: Plan, step: Step, frozen: Plan | None, check: Check) -> Plan:
        kind = in_own_curve(kinds()[step.kind], self.source.curve)
        kept = frozen.find(step.id) if frozen else None
        if kept and kept.step.params == step.params:
            analysis_key = kept.analysis_key
            analysed = _Analysed(kept.params, kept.measured, kept.analysis, kept.noise)
        else:
            analysis_key = digest(plan.key, step.kind, step.params, self.visible)
            make = partial(self._analyse, plan, kind, step.params, check)
            analysed = self.stores.analyses.get_or_make(analysis_key, make, check=check)
        raw_key = digest(plan.key, step.kind, analysed.params, analysis_key)
        prepared = Prepared(
            step=step,
            kind=kind,
            params=analysed.params,
            measured=analysed.measured,
            analysis=analysed.analysis,
            analysis_key=analysis_key,
            noise=analysed.noise,
            base=plan.base,
            mask_analyses=self._analyse_mask(plan, step, check),
            raw_key=raw_key,
            key=raw_key if step.plain else digest(raw_key, step.mix, step.blend, step.where),
            kept=self.stores.analyses,
            looks_at=self._looked_at(plan, step, check),
        )
        return replace(plan, prepared=(*plan.prepared, prepared))

    def _analyse(self, plan: Plan, kind: StepKind, params: Params, check: Check) -> _Analysed:
        survey = self.survey(plan, check=check)
        measured = kind.measured(survey)
        resolved = kind.resolve(params, measured)
        analysis = None if kind.idle(resolved) else kind.analyse(resolved, survey)
        return _Analysed(resolved, measured, analysis, survey.noise)

    def _analyse_mask(self, plan: Plan, step: Step, check: Check) -> tuple[Any, ...]:
        """Return what each part of a step's Where knows of the whole picture; of a kept Where, what its parts know."""
        seen = replace(plan, prepared=()) if step.where.origin == "source" else plan

        def analyse(part: Part) -> Any:
            kind = part_kinds()[part.kind]
            if part.kept is not None:
                return tuple(analyse(inner) for inner in part.kept.parts)
            if not kind.reads(part.params):
                return None
            key = digest("mask", seen.key, part.kind, part.params)
            make = partial(kind.analyse, part.params, self.survey(seen, check=check))
            return self.stores.analyses.get_or_make(key, make, check=check)

        return tuple(analyse(part) for part in step.where.parts)

    def _looked_at(self, plan: Plan, step: Step, check: Check) -> Plan | None:
        """Return the plan of Base made quiet, that the parts of a Where look at; None where they look at the input.

        Noise is no edge, no colour and no star.
        """
        if step.where.origin == "input" or not any(part.on and part_reads(part) for part in step.where.parts):
            return None
        base = replace(plan, prepared=(), outline=False)
        if base.base.mosaic is not None or base.noise.luminance < _LOUD:
            return base
        params = kinds()["noise"].params_type.from_json(_QUIETED, where="quieted")
        return self._extend(base, Step("quieted", "noise", params), None, check)

    def _mend(self, start: Plan, leading: Sequence[Step], check: Check) -> Plan:
        """Return the plan that starts from Base: the picture as it was, or after its leading steps.

        The picture is kept after each of them: worked in one go, blocks of the first would be made with the margins of
        all that follow, which is several times the work.
        """
        everywhere = all(step.where.everywhere for step in leading)  # masks look at the one Base of the route
        plan = start
        for step in leading:
            if plan.active and plan.channels == start.channels == 3 and everywhere:
                start = plan = self._kept(start, plan, check)
            plan = self._extend(plan, step, None, check)
        return self._kept(start, plan, check) if plan.active else plan

    def _kept(self, start: Plan, plan: Plan, check: Check) -> Plan:
        """Return a plan that starts from the result of another, which begins like `start`."""
        make = partial(make_base, self, start, plan, pool=self.pool, check=check)
        base, noise = self.stores.bases.get_or_make(
            plan.key, lambda: self._with_noise(make(), start, plan), check=check
        )
        return replace(start, base=base, base_noise=noise, prepared=(), mended=(*start.mended, *plan.prepared))

    def _with_noise(self, base, start: Plan, plan: Plan) -> tuple:
        """Return a base and its noise: mending leaves it as it is, a developed mosaic is measured anew."""
        if start.noise_given is not None or self._fixed_noise is not None:
            return base, start.base_noise
        if plan.channels == start.channels and isinstance(after := plan.noise_after, ModelField):
            return base, MeasuredNoise.known(after.model)
        return base, self._measured(base, start.bare)

    def _measured(self, base: Base, bare: tuple[Extent, ...]) -> MeasuredNoise:
        """Return the noise of a base, measured once by all engines that share the stores."""
        analyses, compression = self.stores.analyses, self.source.compression
        make: Callable[[], NoiseModel] = partial(measure_base, base, compression, pool=self.pool)
        if base is self.base and self._camera_noise is not None and base.mosaic is None:
            make = partial(measure_with_camera, make, self._camera_noise)
        if bare:
            everywhere = self._unmended.base_noise if base is self.base else self._measured(base, ())

            def make() -> NoiseModel:
                return measure_base_in(bare, base, everywhere.model, compression)

        return MeasuredNoise(lambda: analyses.get_or_make(digest(base.key, "noise", bare), make))

    # -- searching--------------------------------------------------------------------------------------------

    def inside(self, plan: Plan, step_id: str, name: str, region: Region, *, check: Check = no_check) -> np.ndarray:
        """Return an inner picture of a step for a region, in pixels of the plan's level; h x w x 3, 0 to 1.

        A step that is off has none: the plan's result is shown instead.
        """
        prepared = plan.find(step_id)
        if prepared is None:
            return self.sketch(plan, region, check=check)
        before = self.plan_before(plan, prepared)
        return self.show_inside(before, prepared, name, region, level=plan.level, check=check)

    def mask(self, plan: Plan, prepared: Prepared, region: Region, *, check: Check = no_check) -> np.ndarray:
        """Return the mask of a step of a plan, whether Base holds it or not, for a region in pixels of its level."""
        return self.show_mask(self.plan_before(plan, prepared).at(plan.level), prepared, region, check=check)

    def points_found(self, plan: Plan, step_id: str, *, check: Check = no_check) -> Points:
        """Return (x, y) of what a step of a plan finds in the whole picture; it is searched once."""
        prepared = plan.find(step_id)
        assert prepared is not None
        before = self.plan_before(plan, prepared)
        search = partial(search_points, self, plan, before, prepared, pool=self.pool, check=check)
        return self.stores.analyses.get_or_make(_points_key(prepared), search, check=check)

    def count_found(self, prepared: Prepared) -> int | None:
        """Return how many points a step has found in the whole picture, or None before they were searched."""
        points = self.stores.analyses.get(_points_key(prepared))
        return None if points is None else len(points)

    def search_all(self, plan: Plan, *, check: Check = no_check) -> None:
        """Search the points of every step of a plan whose kind marks any, so that cards give exact numbers."""
        for prepared in plan.all_active:
            if prepared.kind.marks:
                self.points_found(plan, prepared.step.id, check=check)

    def find_points(self, kind: str, params: Params, *, check: Check = no_check) -> Points:
        """Return what a kind of step would find in the source with some settings."""
        route = Route((new_step(kind, kind, params),))
        on_mosaic = self.source.mosaic is not None and kinds()[kind].takes_mosaic
        plan = self.plan_mosaic(route, check=check) if on_mosaic else self.plan(Document(route), check=check)
        return self.points_found(plan, kind, check=check)


def bare_places(route: Route) -> tuple[Extent, ...]:
    """Return the places that the steps at work in a route say to be empty."""
    return tuple(place for step in route if step.on for place in kinds()[step.kind].bare(step.params))


def _points_key(prepared: Prepared) -> tuple[str, str]:
    return "points", prepared.raw_key
