"""Make the survey that a step looks at before it works."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.noise.survey import Looks, Points, Survey
from dustpan.core.picture.region import Region
from dustpan.core.picture.source import Source
from dustpan.core.render.plan import Plan, digest
from dustpan.core.render.renderer import Renderer
from dustpan.core.work.cancel import Check
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import map_shared


def make_survey(
    renderer: Renderer,
    plan: Plan,
    source: Source,
    find: Callable[[str, Params], Points],
    *,
    pool: Pool | None,
    check: Check,
) -> Survey:
    """Return what a step behind a plan may look at."""
    return Survey(
        source=source,
        mosaic=plan.base.mosaic,
        size=plan.base.size,
        noise=plan.noise_after,
        base_noise=plan.noise,
        level=plan.base.overview_level,
        looks=_PlanLooks(renderer, plan, find, pool, check),
    )


@dataclass(frozen=True, eq=False)
class _PlanLooks(Looks):
    """Looks at what a plan renders.

    Crops are of the mended picture: the leading Mend steps are worked on them when Base does not hold these.
    """

    renderer: Renderer
    plan: Plan
    find: Callable[[str, Params], Points]
    pool: Pool | None
    check: Check

    @property
    def crop_regions(self) -> Sequence[Region]:
        """Regions spread evenly over the picture."""
        return self.plan.base.crop_regions()

    @property
    def _mended(self) -> Plan:
        leading = itertools.takewhile(lambda step: step.idle or step.kind.stage == "Mend", self.plan.prepared)
        return replace(self.plan, prepared=tuple(leading), level=0)

    def render_overview(self) -> np.ndarray:
        """Return the plan rendered at its overview's level."""
        small = self.plan.at(self.plan.base.overview_level)
        return self.renderer.render(small, (0, 0, *small.size), check=self.check)

    def read_crops(self) -> list[np.ndarray]:
        """Return the mended picture in `crop_regions`."""
        mended = self._mended
        return self.spread(lambda region: self.renderer.sketch(mended, region, check=self.check), self.crop_regions)

    def scan(self, work: Callable[[np.ndarray, Region], Any], regions: Sequence[Region], *, name: str = "") -> list:
        """Call a function with the plan rendered in each region."""
        exact = self.plan.at(0)

        def look(region: Region) -> Any:
            return work(self.renderer.sketch(exact, region, check=self.check), region)

        return self._stored(exact, name, lambda: self.spread(look, regions)) if name else self.spread(look, regions)

    def spread(self, work: Callable[[Any], Any], items: Sequence[Any]) -> list:
        """Call a function with each item, in this thread and idle ones of the pool."""
        return map_shared(work, items, self.pool)

    def find_points(self, kind: str, params: Params) -> Points:
        """Return what the engine finds."""
        return self.find(kind, params)

    def once(self, name: str, make: Callable[[], Any]) -> Any:
        """Return what is stored for the mended picture."""
        return self._stored(self._mended, name, make)

    def _stored(self, plan: Plan, name: str, make: Callable[[], Any]) -> Any:
        key = digest(plan.key, name)
        return self.renderer.stores.analyses.get_or_make(key, make, check=self.check)
