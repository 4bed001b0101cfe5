"""Forms of parameters that are neither numbers nor choices: places, areas, strokes, seeds, text, small pictures.

A form says what is wrong with a plain value, turns it into a frozen one, and back.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

MAX_STROKES, MAX_POINTS, MAX_SEEDS, MAX_AREAS = 5000, 20_000, 500, 100
MAX_PICTURE = 16 << 20  # bytes of an embedded picture
MODES = ("add", "erase")
_PNG = b"\x89PNG\r\n\x1a\n"


class Form:
    """Base of every form; a plain value is what JSON holds."""

    def fault(self, value: Any) -> str | None:
        """Return what was expected instead of a plain value, or None when it is sound."""
        raise NotImplementedError

    def tidy(self, value: Any) -> Any:
        """Return a sound plain value as a frozen one; frozen ones come back as they are."""
        raise NotImplementedError

    def plain(self, value: Any) -> Any:
        """Return a frozen value as a plain one."""
        raise NotImplementedError


def is_number(value: Any) -> bool:
    """Return whether a value is a number, and no switch."""
    return isinstance(value, int | float) and not isinstance(value, bool)


def _in_picture(value: Any, *, beyond: float = 0.0) -> bool:
    return is_number(value) and -beyond <= value <= 1 + beyond


class _Points(Form):
    """Places: pairs of parts of the picture's width and height."""

    def fault(self, value):
        pairs = isinstance(value, list | tuple) and all(isinstance(p, list | tuple) and len(p) == 2 for p in value)
        sound = pairs and all(_in_picture(item) for pair in value for item in pair)
        return None if sound else "expected a list of pairs of numbers from 0 to 1"

    def tidy(self, value):
        return tuple((float(x), float(y)) for x, y in value)

    def plain(self, value):
        return [list(pair) for pair in value]


class _Areas(Form):
    """Rectangles: left, top, right and bottom in parts of the picture's width and height."""

    def fault(self, value):
        listed = isinstance(value, list | tuple) and len(value) <= MAX_AREAS
        sound = listed and all(self._is_area(item) for item in value)
        return None if sound else f"expected a list of at most {MAX_AREAS} areas [left, top, right, bottom], 0 to 1"

    def _is_area(self, item: Any) -> bool:
        four = isinstance(item, list | tuple) and len(item) == 4 and all(_in_picture(side) for side in item)
        return four and item[0] < item[2] and item[1] < item[3]

    def tidy(self, value):
        return tuple(tuple(float(side) for side in area) for area in value)

    def plain(self, value):
        return [list(area) for area in value]


@dataclass(frozen=True, eq=False)
class Stroke:
    """One stroke of a brush.

    Attributes
    ----------
    points : (x, y, pressure); places in parts of the picture's width and height, pressure 0 to 1.
    size : width at full pressure, in parts of the picture's longer side.
    softness : 0 to 1, how much of it, from the rim inward, fades.
    opacity : 0 to 1.
    mode : one of `MODES`.
    """

    points: tuple[tuple[float, float, float], ...]
    size: float = 0.05
    softness: float = 0.5
    opacity: float = 1.0
    mode: str = "add"

    @cached_property
    def key(self) -> str:
        """A short name of all that it is: hundreds of strokes are compared with every dab."""
        facts = repr((self.points, self.size, self.softness, self.opacity, self.mode))
        return hashlib.blake2b(facts.encode(), digest_size=12).hexdigest()

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of its points."""
        across, down = [p[0] for p in self.points], [p[1] for p in self.points]
        return min(across), min(down), max(across), max(down)

    def __repr__(self) -> str:
        return f"Stroke({self.key})"

    def __eq__(self, other: object) -> bool:
        return self is other or (isinstance(other, Stroke) and self.key == other.key)

    def __hash__(self) -> int:
        return hash(self.key)


class _Strokes(Form):
    """Strokes of a brush, kept as they were drawn."""

    def fault(self, value):
        if not isinstance(value, list | tuple) or len(value) > MAX_STROKES:
            return f"expected a list of at most {MAX_STROKES} strokes"
        for number, item in enumerate(value):
            if not isinstance(item, Stroke) and (fault := self._stroke_fault(item)):
                return f"stroke {number + 1}: {fault}"
        return None

    def _stroke_fault(self, item: Any) -> str | None:
        if not isinstance(item, Mapping):
            return "expected an object"
        if unknown := sorted(set(item) - {"points", "size", "softness", "opacity", "mode"}):
            return f"unknown entry '{str(unknown[0])[:40]}'"
        for key, low in (("size", 0.0), ("softness", 0.0), ("opacity", 0.0)):
            if key in item and not (is_number(item[key]) and low <= item[key] <= 1):
                return f"'{key}' is expected from 0 to 1"
        if item.get("mode", "add") not in MODES:
            return f"'mode' is expected to be {' or '.join(MODES)}"
        points = item.get("points")
        if not isinstance(points, list | tuple) or not 1 <= len(points) <= MAX_POINTS:
            return f"'points' is expected to be a list of 1 to {MAX_POINTS} places"
        sound = all(
            isinstance(p, list | tuple)
            and len(p) in (2, 3)
            and all(_in_picture(v, beyond=1.0) for v in p[:2])
            and all(_in_picture(v) for v in p[2:])
            for p in points
        )
        return None if sound else "each of 'points' is expected to be x, y and perhaps the pressure"

    def tidy(self, value):
        return tuple(item if isinstance(item, Stroke) else _stroke(item) for item in value)

    def plain(self, value):
        return [
            {
                "size": stroke.size,
                "softness": stroke.softness,
                "opacity": stroke.opacity,
                "mode": stroke.mode,
                "points": [list(p[:2]) if p[2] == 1 else list(p) for p in stroke.points],
            }
            for stroke in value
        ]


def _stroke(item: Mapping[str, Any]) -> Stroke:
    points = tuple((float(p[0]), float(p[1]), float(p[2]) if len(p) > 2 else 1.0) for p in item["points"])
    numbers = {key: float(item[key]) for key in ("size", "softness", "opacity") if key in item}
    return Stroke(points, **numbers, mode=item.get("mode", "add"))


class _Seeds(Form):
    """Clicks on a thing and beside it: (x, y, whether it belongs)."""

    def fault(self, value):
        if not isinstance(value, list | tuple) or len(value) > MAX_SEEDS:
            return f"expected a list of at most {MAX_SEEDS} places"
        sound = all(
            isinstance(p, list | tuple)
            and len(p) in (2, 3)
            and all(_in_picture(v) for v in p[:2])
            and all(isinstance(v, bool) for v in p[2:])
            for p in value
        )
        return None if sound else "expected a list of [x, y, true for in or false for out]; x and y from 0 to 1"

    def tidy(self, value):
        return tuple((float(p[0]), float(p[1]), bool(p[2]) if len(p) > 2 else True) for p in value)

    def plain(self, value):
        return [list(seed) for seed in value]


class _Text(Form):
    """Any short text."""

    def fault(self, value):
        return None if isinstance(value, str) and len(value) <= 200 else "expected text of at most 200 letters"

    def tidy(self, value):
        return value

    def plain(self, value):
        return value


@dataclass(frozen=True, eq=False)
class Embedded:
    """A PNG that travels inside a document."""

    data: bytes = b""

    @cached_property
    def key(self) -> str:
        """A short name of its content."""
        return hashlib.blake2b(self.data, digest_size=12).hexdigest()

    def __repr__(self) -> str:
        return f"Embedded({self.key})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Embedded) and self.data == other.data

    def __hash__(self) -> int:
        return hash(self.key)


class _Picture(Form):
    """A PNG in base 64."""

    def fault(self, value):
        if isinstance(value, Embedded):
            return None
        if not isinstance(value, str) or len(value) > MAX_PICTURE * 4 / 3 + 4:
            return f"expected a PNG in base 64, of at most {MAX_PICTURE >> 20} MB"
        try:
            data = base64.b64decode(value, validate=True)
        except (binascii.Error, ValueError):
            return "expected a PNG in base 64"
        return None if not data or data.startswith(_PNG) else "expected a PNG in base 64"

    def tidy(self, value):
        return value if isinstance(value, Embedded) else Embedded(base64.b64decode(value))

    def plain(self, value):
        return base64.b64encode(value.data).decode()


#: No picture at all.
NOTHING = Embedded()
POINTS, AREAS, STROKES, SEEDS = _Points(), _Areas(), _Strokes(), _Seeds()
TEXT, PICTURE = _Text(), _Picture()
