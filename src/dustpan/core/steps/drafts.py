"""Settings for drafts, which are made of a reduced picture."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, TypeVar

from dustpan.core.document.params import Params

AnyParams = TypeVar("AnyParams", bound=Params)


def with_reduced_radius(params: AnyParams, level: int, *, least: float) -> AnyParams | None:
    """Return settings with their `radius` in pixels of a picture reduced by 2 ** level; None for one under `least`."""
    own: Any = params
    radius = own.radius / 2**level
    return replace(params, **{"radius": radius}) if radius >= least else None
