"""The one description of a parameter, and the base of every kind's settings.

Controls, remedies, the command line, validation and the docs all walk these descriptions; none of them holds a range
or a default of its own.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.document.checks import nearest, shorten
from dustpan.core.errors import RemedyError


@dataclass(frozen=True)
class Param:
    """Describe one parameter.

    Attributes
    ----------
    label, unit, help : words for the user; `unit` is empty for plain factors.
    default : its type is the parameter's: bool, int, float, str for a choice, a tuple for a list.
    low, high : range of a number, and of each number in a list; None for switches and choices.
    step : what one wheel notch or arrow key moves.
    choices : allowed words, for a choice.
    length : count of numbers, for a list of factors.
    points : whether it is a list, of any length, of points of the picture: pairs of parts of its width and height.
    widget : name of the control that shows it, where a plain one will not do.
    of : the parameter that it refines, for a control that shows both.
    narrow : whether its control shares a row with its narrow neighbours.
    picked : whether it can be taken from a pixel of the picture: see `StepKind.pick`.
    apart : whether `auto` neither proposes it nor ends when it is changed.
    """

    label: str
    default: Any
    help: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float | None = None
    choices: tuple[str, ...] = ()
    length: int = 0
    points: bool = False
    widget: str = ""
    of: str = ""
    narrow: bool = False
    picked: bool = False
    apart: bool = False

    @property
    def range(self) -> tuple[float, float]:
        """Lowest and highest number."""
        assert self.low is not None and self.high is not None
        return self.low, self.high

    def fault(self, value: Any) -> str | None:
        """Return what is wrong with a value, or None."""
        if self.choices:
            return None if value in self.choices else f"expected one of {', '.join(self.choices)}"
        if isinstance(self.default, bool):
            return None if isinstance(value, bool) else "expected true or false"
        if self.points:
            return None if self._are_points(value) else "expected a list of pairs of numbers from 0 to 1"
        if self.length:
            listed = isinstance(value, list | tuple) and len(value) == self.length
            sound = listed and all(self._number_fault(item) is None for item in value)
            return None if sound else f"expected {self.length} numbers from {self.low:g} to {self.high:g}"
        return self._number_fault(value)

    def _are_points(self, value: Any) -> bool:
        pairs = isinstance(value, list | tuple) and all(isinstance(p, list | tuple) and len(p) == 2 for p in value)
        return pairs and all(_is_number(item) and 0 <= item <= 1 for pair in value for item in pair)

    def _number_fault(self, value: Any) -> str | None:
        whole = isinstance(self.default, int)
        kind = "a whole number" if whole else "a number"
        # NaN compares as false, and whole numbers of any length compare exactly.
        if _is_number(value) and self.low <= value <= self.high and (not whole or value == int(value)):
            return None
        return f"expected {kind} from {self.low:g} to {self.high:g}"

    def tidy(self, value: Any) -> Any:
        """Return a valid value in its own type (tuples for lists, float or int for numbers)."""
        if self.points:
            return tuple((float(x), float(y)) for x, y in value)
        if self.length:
            return tuple(float(item) for item in value)
        if self.choices or isinstance(self.default, bool):
            return value
        return type(self.default)(value)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def param(label: str, default: Any, help: str, **rest: Any) -> Any:
    """Declare a parameter as a dataclass field that carries its description."""
    return field(default=default, metadata={"param": Param(label, default, help, **rest)})


@dataclass(frozen=True)
class Params:
    """Base of a kind's settings: a frozen dataclass whose every field carries a `Param`."""

    @classmethod
    def described(cls) -> dict[str, Param]:
        """Return the description of each parameter by its id, in the order shown."""
        return {item.name: item.metadata["param"] for item in dataclasses.fields(cls)}

    @classmethod
    def from_json(cls, values: Mapping[str, Any], *, where: str) -> Params:
        """Build settings from plain values; raise RemedyError that lists every fault at once."""
        faults = cls.faults(values)
        if faults:
            raise RemedyError(where, faults)
        described = cls.described()
        return cls(**{key: described[key].tidy(value) for key, value in values.items()})

    @classmethod
    def faults(cls, values: Mapping[str, Any]) -> list[str]:
        """Return one line for each value that is unknown, of the wrong kind or out of range."""
        described = cls.described()
        found = []
        for key, value in values.items():
            if key not in described:
                found.append(f"unknown parameter '{key}'{nearest(key, described)}")
            elif fault := described[key].fault(value):
                found.append(f"'{key}' is {shorten(value)}: {fault}")
        return found

    def to_json(self, *, all_values: bool = False) -> dict[str, Any]:
        """Return plain values that differ from the defaults, or all of them."""
        described = self.described()
        values = {key: getattr(self, key) for key in described}
        return {key: _plain(value) for key, value in values.items() if all_values or value != described[key].default}


def _plain(value: Any) -> Any:
    return [_plain(item) for item in value] if isinstance(value, tuple) else value
