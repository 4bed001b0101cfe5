"""Checks of plain values read from files: what each field must hold, and every fault reported at once."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from dustpan.core.document.forms import is_number


@dataclass(frozen=True)
class Rule:
    """What a field must hold: a test, and the words for it."""

    test: Callable[[Any], bool]
    expected: str


def number(low: float, high: float) -> Rule:
    """Return the rule for a number in a range."""
    return Rule(lambda value: is_number(value) and low <= value <= high, f"a number from {low:g} to {high:g}")


def whole_number(low: int, high: int) -> Rule:
    """Return the rule for a whole number in a range."""
    return Rule(
        lambda value: is_number(value) and isinstance(value, int) and low <= value <= high,
        f"a whole number from {low} to {high}",
    )


def one_of(words: Iterable[str]) -> Rule:
    """Return the rule for one of several words."""
    known = list(words)  # a list, because values that can't be hashed are asked for too
    return Rule(lambda value: value in known, f"one of {', '.join(known)}")


def _is_text(value: Any) -> bool:
    """Return whether a value is text that UTF-8 can hold."""
    try:
        return isinstance(value, str) and value.encode("utf-8") is not None
    except UnicodeEncodeError:
        return False


ANYTHING = Rule(lambda value: True, "anything")
SWITCH = Rule(lambda value: isinstance(value, bool), "true or false")
TEXT = Rule(_is_text, "text")
NAME = Rule(lambda value: bool(value) and _is_text(value), "text")
OBJECT = Rule(lambda value: isinstance(value, dict), "an object")
LIST = Rule(lambda value: isinstance(value, list), "a list")


def find_faults(values: Mapping[str, Any], rules: Mapping[str, Rule], *, at: str = "") -> list[str]:
    """Return one line for each field that is unknown or does not hold what its rule says.

    Parameters
    ----------
    values : what was read.
    rules : the rule of each known field; a field that is left out is no fault.
    at : where the values stand in the file, put before each line.
    """
    start = f"{at}: " if at else ""
    faults = [f"{start}unknown field {shorten(key)}{nearest(key, rules)}" for key in values if key not in rules]
    for key, rule in rules.items():
        if key in values and not rule.test(values[key]):
            faults.append(f"{start}'{key}' is {shorten(values[key])}: expected {rule.expected}")
    return faults


def shorten(value: Any, most: int = 60) -> str:
    """Return a value as it stands in a file, cut where it is long."""
    try:
        text = repr(value)
    except (ValueError, RecursionError):  # a number of very many digits, a list inside itself
        return f"a {type(value).__name__} too long to show"
    return text if len(text) <= most else f"{text[: most - 1]}…"


def nearest(word: str, known: Iterable) -> str:
    """Return ' (did you mean …?)' when a known word is close, else nothing."""
    match = difflib.get_close_matches(str(word)[:60], [str(item) for item in known], n=1)
    return f" (did you mean '{match[0]}'?)" if match else ""
