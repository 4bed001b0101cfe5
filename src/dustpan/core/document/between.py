"""Routes and remedies for an ISO between those that they were made for."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from dustpan.core.document.forms import is_number
from dustpan.core.document.params import Params
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.route import Route, Step

_FAR = 1.0  # stops of ISO up to which a remedy is suggested


def stops_apart(first: int, second: int) -> float:
    """Return how many times ISO doubles from one to the other; below 0 where the second is lower."""
    return math.log2(second / first)


def nearest_remedy(remedies: Iterable[Remedy], camera: str, iso: int | None) -> Remedy | None:
    """Return the remedy of a camera that was made at the nearest ISO, within one stop; None where there is none."""
    if not camera or not iso:
        return None
    own = [remedy for remedy in remedies if remedy.camera == camera and remedy.iso]
    near = [remedy for remedy in own if abs(stops_apart(remedy.iso or iso, iso)) <= _FAR]
    return min(near, key=lambda remedy: abs(stops_apart(remedy.iso or iso, iso)), default=None)


def remedies_around(remedies: Iterable[Remedy], camera: str, iso: int | None) -> tuple[Remedy, Remedy] | None:
    """Return two remedies of a camera, at the next lower and the next higher ISO, whose steps are the same.

    None where the ISO is unknown, is that of a remedy, or lies outside of them.
    """
    own = [remedy for remedy in remedies if camera and remedy.camera == camera and remedy.iso]
    if not iso or any(remedy.iso == iso for remedy in own):
        return None
    lower = sorted((r for r in own if (r.iso or 0) < iso), key=lambda r: -(r.iso or 0))
    higher = sorted((r for r in own if (r.iso or 0) > iso), key=lambda r: r.iso or 0)
    pairs = ((low, high) for low in lower for high in higher)
    return next((pair for pair in pairs if same_steps(pair[0].route, pair[1].route)), None)


def same_steps(first: Route, second: Route) -> bool:
    """Whether two routes differ in nothing but numbers of their steps' settings and Mix."""
    if len(first) != len(second) or first.wheres != second.wheres:
        return False
    return all(_alike(one, other) for one, other in zip(first, second))


def _alike(one: Step, other: Step) -> bool:
    def plain(step: Step) -> tuple:
        return step.kind, step.on, step.blend, step.where, _unmixed(step.params)

    return plain(one) == plain(other)


def _unmixed(params: Params) -> dict[str, Any]:
    """Return the settings that lie between no two others: switches, choices, places."""
    values = params.to_json(all_values=True)
    return {key: value for key, value in values.items() if not _can_mix(value)}


def _can_mix(value: Any) -> bool:
    numbers = value if isinstance(value, list) else [value]
    return bool(numbers) and all(is_number(number) for number in numbers)


def route_between(first: Route, second: Route, part: float) -> Route:
    """Return a route whose numbers lie between those of two with `same_steps`: at 0 the first's, at 1 the second's."""
    return first.of(tuple(_step_between(one, other, part) for one, other in zip(first, second, strict=True)))


def _step_between(one: Step, other: Step, part: float) -> Step:
    described = one.params.described()
    low, high = (step.params.to_json(all_values=True) for step in (one, other))
    mixed = {key: _between(low[key], high[key], part) if _can_mix(low[key]) else low[key] for key in low}
    tidy = {
        key: round(value) if isinstance(described[key].default, int) and _can_mix(value) else value
        for key, value in mixed.items()
    }
    params = one.params.from_json(tidy, where=one.title)
    return replace(one, params=params, mix=one.mix + (other.mix - one.mix) * part)


def _between(low: Any, high: Any, part: float) -> Any:
    if isinstance(low, list):
        return [_between(one, other, part) for one, other in zip(low, high, strict=True)]
    return low if low == high else low + (high - low) * part
