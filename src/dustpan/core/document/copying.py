"""Values, cards and routes as text, to be pasted into another window.

A card and a route are written as remedies, so the text can be kept as a file too; a value names its kind of step
and its parameter.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from dustpan.core.document.kinds import step_kinds
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, Step, Where
from dustpan.core.errors import RemedyError

_VALUE = "dustpan-value"


@dataclass(frozen=True)
class Value:
    """One setting: the kind of step it belongs to, the parameter's id, the value as JSON holds it."""

    kind: str
    param: str
    value: Any


def write_value(kind: str, param: str, value: Any) -> str:
    """Return a setting as text."""
    return json.dumps({"format": _VALUE, "kind": kind, "param": param, "value": value})


def write_steps(*steps: Step, wheres: tuple[tuple[str, Where], ...] = ()) -> str:
    """Return steps, with the kept Wheres that they use, as the text of a remedy for any picture."""
    return write_remedy(Remedy(Route(steps, wheres).carried()))


def read_text(text: str) -> Value | Route:
    """Read what `write_value` or `write_steps` wrote.

    Raises RemedyError, naming every fault, when the text is neither.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        data = None
    if not isinstance(data, dict) or "format" not in data:
        raise RemedyError("clipboard", ["expected a value, a card or a route of this program"])
    if data["format"] != _VALUE:
        return read_remedy(text, where="clipboard").route
    kind, param = str(data.get("kind")), str(data.get("param"))
    if kind not in list(step_kinds()):
        raise RemedyError("clipboard", [f"unknown kind {kind!r}"])
    if faults := step_kinds()[kind].params_type.faults({param: data.get("value")}):
        raise RemedyError("clipboard", faults)
    return Value(kind, param, data["value"])
