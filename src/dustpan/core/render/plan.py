"""A document made ready to render: its steps with their settings resolved and the noise they meet."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any

import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.document.params import Params
from dustpan.core.document.route import Route, Step, Where
from dustpan.core.filters.blend import SELF_KEEPING, lay_over
from dustpan.core.filters.planes import sample_plane
from dustpan.core.noise.fields import MixedField, ModelField, NoiseField
from dustpan.core.noise.measured import MeasuredNoise
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.base import Base
from dustpan.core.picture.features import Features
from dustpan.core.picture.pyramid import level_under
from dustpan.core.picture.region import Extent, Size
from dustpan.core.render.grid import ALIGN
from dustpan.core.steps.step_kind import StepKind
from dustpan.core.where.fold import mask_of, mask_support
from dustpan.core.work.store import Store

_MASK_PIXELS = 250_000  # most pixels of a mask as a noise field samples it


def digest(*parts: Any) -> str:
    """Return a short key of values that differ by their `repr`."""
    return hashlib.blake2b(repr(parts).encode(), digest_size=16).hexdigest()


@dataclass(frozen=True, eq=False)
class Prepared:
    """One step of a plan, ready to run.

    Attributes
    ----------
    step, kind : the card and how it works.
    params : its settings with automatic values filled in; in a draft those of the reduced picture.
    measured : the settings that the measurement suggests, or None.
    analysis : what the step knows of the whole picture.
    analysis_key : provenance of params, measured and analysis.
    noise : the noise at its input.
    base : the picture that the steps before it start from.
    mask_analyses : what each part of its Where knows of the whole picture.
    looks_at : the plan whose pixels its Where looks at, Base made quiet; None where it looks at the step's input.
    raw_key, key : provenance of the result before and after Mix and Where.
    kept : where the noise behind the step is kept, as every plan of an unchanged step asks for it.
    """

    step: Step
    kind: StepKind
    params: Params
    measured: Params | None
    analysis: Any
    analysis_key: str
    noise: NoiseField
    base: Base
    mask_analyses: tuple[Any, ...]
    raw_key: str
    key: str
    kept: Store
    looks_at: Plan | None = None

    @property
    def idle(self) -> bool:
        """Whether these settings change nothing, or there is nothing to change."""
        return self.kind.idle(self.params) or self.kind.found_nothing(self.params, self.analysis)

    @property
    def support(self) -> int:
        """How far the step and its Where read around a region, px, rounded up to `ALIGN`.

        Raises ValueError when its kind asks for more than it declares.
        """
        support = self.kind.support(self.params, self.analysis)
        most = self.kind.max_support
        if not 0 <= support <= most:
            raise ValueError(f"{self.kind.kind} asks for {support} px of support; at most {most} px are given")
        if self.step.where.origin == "input":
            support = max(support, mask_support(self.step.where, self.mask_analyses))
        return -(-support // ALIGN) * ALIGN

    @cached_property
    def noise_after(self) -> NoiseField:
        """The noise behind the step, its Blending, its Mix and its Where."""
        return self.kept.get_or_make(("noise after", self.key, self.params), self._carry_noise)

    def _carry_noise(self) -> NoiseField:
        step = self.step
        replaces = step.blend == "replace" and step.mix >= 1
        same = self.kind.keeps_noise and step.blend in SELF_KEEPING
        lay = None if replaces or same else partial(lay_over, law=step.blend, share=float(step.mix))
        after = self.kind.carry(self.params, self.analysis, self.noise, lay)
        if step.where.everywhere:
            return after
        return MixedField(self.noise, after, _SampledMask(step.where, self.mask_analyses, self.base))


class _SampledMask:
    """A Where as a noise field samples it: a small plane of Base's mask, made when it is first asked for."""

    def __init__(self, where: Where, analyses: tuple[Any, ...], base: Base):
        self._make: Callable[[], np.ndarray] | None = partial(_small_mask, where, analyses, base)
        self._lock = threading.Lock()
        self._plane: np.ndarray | None = None

    def __call__(self, extent: Extent, shape: tuple[int, int]) -> np.ndarray:
        """Return the mask at points spread over an extent."""
        with self._lock:
            if self._make is not None:
                self._plane, self._make = self._make(), None  # stores keep noise fields: not the picture with them
            plane = self._plane
        assert plane is not None
        return sample_plane(plane, extent, shape)


def _small_mask(where: Where, analyses: tuple[Any, ...], base: Base) -> np.ndarray:
    """Return a Where's mask of the whole picture at the level that has at most `_MASK_PIXELS`."""
    level = level_under(base.size, _MASK_PIXELS)
    small = base.size_at(level)
    read = partial(base.read, level=level)
    return np.asarray(mask_of(where, (0, 0, *small), small, level=level, analyses=analyses, read=read), np.float32)


@dataclass(frozen=True, eq=False)
class Plan:
    """A document made ready to render on one source, at one pyramid level.

    Attributes
    ----------
    base : the picture that the prepared steps start from.
    base_noise : the noise measured on it.
    prepared : the steps behind Base in their order, also those whose settings change nothing.
    level : 0 is exact; above it a draft of the picture reduced by 2 ** level.
    mended : the leading Mend steps (and a mosaic's development), whose result Base holds.
    outline : the leading Mend steps are among the prepared ones, so that no Base is made of them.
    features : feature channels of the source, at full size.
    known : bad pixels that are known of the camera.
    bare : places that the user knows to be empty, where the noise was measured.
    noise_given : the noise model that the document brings, as plain values, or None where the noise is measured.
    noise_key : key of that model.
    """

    base: Base
    base_noise: MeasuredNoise
    prepared: tuple[Prepared, ...] = ()
    level: int = 0
    mended: tuple[Prepared, ...] = ()
    outline: bool = False
    features: Features | None = None
    known: np.ndarray | None = None
    bare: tuple[Extent, ...] = ()
    noise_given: Mapping[str, Any] | None = None
    noise_key: str = ""

    @cached_property
    def active(self) -> tuple[Prepared, ...]:
        """The steps that run at this plan's level: lengths shrink in a draft, and tiny steps drop out."""
        working = [prepared for prepared in self.prepared if not prepared.idle]
        if self.level == 0:
            return tuple(working)
        scaled = [(prepared, prepared.kind.scaled(prepared.params, self.level)) for prepared in working]
        return tuple(replace(prepared, params=params) for prepared, params in scaled if params is not None)

    @property
    def all_prepared(self) -> tuple[Prepared, ...]:
        """All steps in their order, those in Base included."""
        return (*self.mended, *self.prepared)

    @property
    def all_active(self) -> tuple[Prepared, ...]:
        """All steps that change anything at full size, those in Base included."""
        return tuple(prepared for prepared in self.all_prepared if not prepared.idle)

    @property
    def key(self) -> str:
        """Provenance of the result.

        The reduced levels of an outline are not mended, so what is measured there must not pass for a measurement
        on Base.
        """
        start = digest(self.base.key, self.bare, self.noise_key) if self.bare or self.noise_key else self.base.key
        own = self.active[-1].key if self.active else start
        return digest("outline", own) if self.outline and self.active else own

    def with_other(self, route: Route) -> Document:
        """Return the document of another route on the same picture, with the same noise."""
        return Document(route, self.noise_given)

    @property
    def size(self) -> Size:
        """Width and height at this plan's level."""
        return self.base.size_at(self.level)

    @property
    def noise(self) -> NoiseModel:
        """The noise measured on Base."""
        return self.base_noise.model

    @property
    def noise_after(self) -> NoiseField:
        """The noise of the result, at full size."""
        last = next((prepared for prepared in reversed(self.prepared) if not prepared.idle), None)
        return ModelField(self.noise) if last is None else last.noise_after

    @property
    def channels(self) -> int:
        """Channels of the result: one as long as a mosaic is not developed."""
        raw = self.base.mosaic is not None and not any(prepared.kind.develops for prepared in self.active)
        return 1 if raw else 3

    def at(self, level: int) -> Plan:
        """Return the plan for another level; 0 is the exact one."""
        return self if level == self.level else replace(self, level=level)

    @property
    def before_development(self) -> Route:
        """The steps that work on a sensor's mosaic."""
        steps = [prepared.step for prepared in self.all_prepared]
        developed = next((index for index, step in enumerate(steps) if step.develops), 0)
        return Route(tuple(steps[:developed]))

    def before(self, prepared: Prepared) -> Plan:
        """Return the plan of the steps before one of the prepared ones."""
        ids = [other.step.id for other in self.prepared]
        return replace(self, prepared=self.prepared[: ids.index(prepared.step.id)])

    def find(self, step_id: str | None) -> Prepared | None:
        """Return a step with its full settings, or None when it is off or not in the plan."""
        return next((p for p in self.all_prepared if p.step.id == step_id), None)
