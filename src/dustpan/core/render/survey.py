"""Make the survey that a step looks at before it works."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.noise.survey import Points, Survey
from dustpan.core.picture.region import Region
from dustpan.core.picture.source import Source
from dustpan.core.render.blocks import Renderer
from dustpan.core.render.plan import Plan, digest
from dustpan.core.work.cancel import Check
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import map_shared


def make_survey(
    renderer: Renderer,
    plan: Plan,
    source: Source,
    find_points: Callable[[str, Params], Points],
    *,
    pool: Pool | None,
    check: Check,
) -> Survey:
    """Return what a step behind a plan may look at.

    Its crops are of the mended picture: the leading Mend steps are worked on them when Base does not hold these.
    """
    level = plan.base.overview_level
    small = plan.at(level)
    leading = itertools.takewhile(lambda prepared: prepared.idle or prepared.kind.stage == "Mend", plan.prepared)
    mended = replace(plan, prepared=tuple(leading), level=0)

    def render_overview() -> np.ndarray:
        return renderer.render(small, (0, 0, *small.size), check=check)

    regions = plan.base.crop_regions()

    def read_crops() -> list[np.ndarray]:
        return map_shared(lambda region: renderer.sketch(mended, region, check=check), regions, pool)

    def scan(work: Callable[[np.ndarray, Region], Any], wanted: Sequence[Region]) -> list:
        exact = plan.at(0)
        return map_shared(lambda region: work(renderer.sketch(exact, region, check=check), region), wanted, pool)

    def once(name: str, make: Callable[[], Any]) -> Any:
        return renderer.stores.analyses.get_or_make(digest(mended.key, name), make, check=check)

    return Survey(
        size=plan.base.size,
        noise=plan.noise_after,
        base_noise=plan.noise,
        level=level,
        render_overview=render_overview,
        read_crops=read_crops,
        crop_regions=regions,
        scan=scan,
        spread=partial(map_shared, pool=pool),
        find_points=find_points,
        once=once,
        metadata=source.metadata,
        mosaic=plan.base.mosaic,
        compression=source.compression,
        linear=source.linear,
        rendered=source.rendered,
        grey=source.grey,
        features=source.features is not None,
    )
