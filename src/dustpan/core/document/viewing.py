"""From where and on what an output will be looked at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from dustpan.core.document.forms import is_number


@dataclass(frozen=True)
class Viewing:
    """How an output is looked at.

    Attributes
    ----------
    distance : of the eye, cm.
    density : pixels an inch.
    spread : deviation of the blur that ink on paper or a screen makes, mm.
    """

    distance: float
    density: float
    spread: float

    def to_json(self) -> dict[str, float]:
        """Return the viewing as a remedy holds it."""
        return asdict(self)


#: Range of each number.
RANGES: Mapping[str, tuple[float, float]] = {
    "distance": (10.0, 1000.0),
    "density": (20.0, 2400.0),
    "spread": (0.0, 1.0),
}
#: Usual ways to look at an output; paper spreads ink, the more the rougher it is.
USUAL: Mapping[str, Viewing] = {
    "screen": Viewing(60.0, 96.0, 0.10),
    "glossy": Viewing(40.0, 300.0, 0.05),
    "matte": Viewing(40.0, 300.0, 0.08),
    "poster": Viewing(200.0, 100.0, 0.15),
}


def read_viewing(value: Any) -> Viewing | None:
    """Return a viewing from what a remedy says, or None where that is nothing or free text.

    A word of `USUAL`, or an object with some of the numbers; those left out are of a screen.
    """
    if isinstance(value, str):
        return USUAL.get(value)
    if not isinstance(value, Mapping) or not set(value) <= set(RANGES) or not value:
        return None
    return replace(USUAL["screen"], **{key: float(number) for key, number in value.items()})


def viewing_fault(value: Any) -> str | None:
    """Return what is wrong with what a remedy says of viewing, or None."""
    if value is None or isinstance(value, str):
        return None
    if not isinstance(value, Mapping):
        return "expected text or an object"
    for item in fields(Viewing):
        low, high = RANGES[item.name]
        number = value.get(item.name, low)
        if not is_number(number) or not low <= number <= high:
            return f"expected {item.name} as a number from {low:g} to {high:g}"
    return None
