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
from dustpan.core.document.forms import Form, is_number
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
    form : what it is, where it is neither a number nor a choice: see `forms`.
    widget : name of the control that shows it, where a plain one will not do.
    of : the parameter that it refines, for a control that shows both.
    narrow : whether its control shares a row with its narrow neighbours.
    picked : whether it can be taken from a pixel of the picture: see `StepKind.pick`.
    apart : whether `auto` neither proposes it nor ends when it is changed.
    own : whether a value belongs to one picture, so that it is not carried to others.
    only : what a picture must have, or be, for it to do anything: "features", "photograph", or empty.
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
    form: Form | None = None
    widget: str = ""
    of: str = ""
    narrow: bool = False
    picked: bool = False
    apart: bool = False
    own: bool = False
    only: str = ""

    @property
    def range(self) -> tuple[float, float]:
        """Lowest and highest number."""
        assert self.low is not None and self.high is not None
        return self.low, self.high

    def fault(self, value: Any) -> str | None:
        """Return what is wrong with a value, or None."""
        if self.form is not None:
            return self.form.fault(value)
        if self.choices:
            return None if value in self.choices else f"expected one of {', '.join(self.choices)}"
        if isinstance(self.default, bool):
            return None if isinstance(value, bool) else "expected true or false"
        if self.length:
            listed = isinstance(value, list | tuple) and len(value) == self.length
            sound = listed and all(self._number_fault(item) is None for item in value)
            return None if sound else f"expected {self.length} numbers from {self.low:g} to {self.high:g}"
        return self._number_fault(value)

    def _number_fault(self, value: Any) -> str | None:
        whole = isinstance(self.default, int)
        kind = "a whole number" if whole else "a number"
        # NaN compares as false, and whole numbers of any length compare exactly.
        if is_number(value) and self.low <= value <= self.high and (not whole or value == int(value)):
            return None
        return f"expected {kind} from {self.low:g} to {self.high:g}"

    def tidy(self, value: Any) -> Any:
        """Return a valid value in its own type (tuples for lists, float or int for numbers)."""
        if self.form is not None:
            return self.form.tidy(value)
        if self.length:
            return tuple(float(item) for item in value)
        if self.choices or isinstance(self.default, bool):
            return value
        return type(self.default)(value)

    def plain(self, value: Any) -> Any:
        """Return a valid value as JSON holds it."""
        if self.form is not None:
            return self.form.plain(value)
        return list(value) if isinstance(value, tuple) else value


def param(label: str, default: Any, help: str, **rest: Any) -> Any:
    """Declare a parameter as a dataclass field that carries its description."""
    return field(default=default, metadata={"param": Param(label, default, help, **rest)})


@dataclass(frozen=True)
class Params:
    """Base of a kind's settings: a frozen dataclass whose every field carries a `Param`."""

    @property
    def refers_to(self) -> str | None:
        """Name of the kept Where that these settings refer to; None for settings that stand for themselves."""
        return None

    def carried(self) -> Params:
        """Return what of these settings suits other pictures too: without places that belong to one."""
        own = {key: described.default for key, described in self.described().items() if described.own}
        return dataclasses.replace(self, **own) if own else self

    def referring_to(self, name: str) -> Params:
        """Return these settings with another name to refer to; only those that refer to one are asked."""
        raise NotImplementedError

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
            key: described[key].plain(value)
            for key, value in values.items()
            if all_values or value != described[key].default
        }
