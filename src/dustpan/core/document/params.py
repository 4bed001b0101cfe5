"""The one description of a parameter, and the base of every step's settings.

Controls, remedy parsing, the command line, validation and the docs all walk these descriptions; none of them
holds a range or a default of its own.
"""

from __future__ import annotations

import dataclasses
import difflib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.errors import RemedyError


@dataclass(frozen=True)
class Param:
    """Describe one parameter.

    Attributes
    ----------
    label, unit, help : words for the user; `unit` is empty for plain factors.
    low, high : range of a number, None for switches and choices.
    step : what one wheel notch or arrow key moves.
    choices : allowed words, for a choice.
    length : count of numbers, for a list (a factor for each tone).
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

    def fault(self, value: Any) -> str | None:
        """Return what is wrong with a value, or None."""
        if self.choices:
            return None if value in self.choices else f"expected one of {', '.join(self.choices)}"
        if isinstance(self.default, bool):
            return None if isinstance(value, bool) else "expected true or false"
        if self.length:
            sound = isinstance(value, list | tuple) and len(value) == self.length
            inside = sound and all(self._number_fault(item) is None for item in value)
            return None if inside else f"expected {self.length} numbers from {self.low:g} to {self.high:g}"
        return self._number_fault(value)

    def _number_fault(self, value: Any) -> str | None:
        whole = isinstance(self.default, int)
        kind = "a whole number" if whole else "a number"
        sound = isinstance(value, int | float) and not isinstance(value, bool)
        # What is no number compares as false, and whole numbers of any length compare exactly.
        if sound and self.low <= value <= self.high and (not whole or value == int(value)):
            return None
        return f"expected {kind} from {self.low:g} to {self.high:g}"

    def tidy(self, value: Any) -> Any:
        """Return a valid value in its own type (tuples for lists, float or int for numbers)."""
        if self.length:
            return tuple(float(item) for item in value)
        if self.choices or isinstance(self.default, bool):
            return value
        return type(self.default)(value)


def param(label: str, default: Any, help: str, **rest: Any) -> Any:
    """Declare a parameter as a dataclass field that carries its description."""
    return field(default=default, metadata={"param": Param(label, default, help, **rest)})


@dataclass(frozen=True)
class Params:
    """Base of a step's settings: a frozen dataclass whose every field carries a `Param`."""

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
        return {
            key: list(v) if isinstance(v, tuple) else v
            for key, v in values.items()
            if all_values or v != described[key].default
        }


def shorten(value: Any, most: int = 60) -> str:
    """Return a value as it stands in a file, cut where it is long."""
    try:
        text = repr(value)
    except (ValueError, RecursionError):  # a number of very many digits, a list inside itself
        return f"a {type(value).__name__} too long to show"
    return text if len(text) <= most else f"{text[: most - 1]}…"


def nearest(word: str, known) -> str:
    """Return ' (did you mean …?)' when a known word is close, else nothing."""
    match = difflib.get_close_matches(str(word)[:60], [str(item) for item in known], n=1)
    return f" (did you mean '{match[0]}'?)" if match else ""
