"""A Where in words, and ready-made ones named after the need."""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import Any

from dustpan.core.document.route import Part, Where
from dustpan.core.where import part_kinds

#: By operation: how a part joins those before it.
JOINS = {"add": "plus", "subtract": "without", "intersect": "within"}


def told(where: Where) -> str:
    """Return a Where in one line, as "edges, without darks"."""
    parts = [part for part in where.parts if part.on]
    if not parts:
        return "nowhere" if where.invert else "everywhere"
    words = [_name(parts[0]) if parts[0].op == "add" else f"all {JOINS['subtract']} {_name(parts[0])}"]
    if parts[0].op == "intersect":
        words = [_name(parts[0])]
    words += [f"{JOINS[part.op]} {_name(part)}" for part in parts[1:]]
    line = ", ".join(words)
    return f"all but {line}" if where.invert else line


def _name(part: Part) -> str:
    word = part_kinds()[part.kind].told(part.params)
    return f"not {word}" if part.invert else word


def free_part_id(where: Where, kind: str) -> str:
    """Return an id that no part has: the kind with a number."""
    taken = {part.id for part in where.parts}
    return next(name for name in (f"{kind}_{n}" for n in itertools.count(1)) if name not in taken)


def new_part(where: Where, kind: str, *, op: str = "add", **values: Any) -> Part:
    """Return a part of a kind that can be put into a Where."""
    params = replace(part_kinds()[kind].params_type(), **values)
    return Part(free_part_id(where, kind), kind, params, op)


def _made(*parts: tuple[str, dict[str, Any]], feather: float = 0.0, invert: bool = False) -> Where:
    where = Where(feather=feather, invert=invert)
    for kind, values in parts:
        op = values.pop("op", "add")
        where = replace(where, parts=(*where.parts, new_part(where, kind, op=op, **values)))
    return where


#: Starting points by the need.
READY: dict[str, Where] = {
    "Bare flats": _made(("flat", {}), ("edges", {"op": "subtract", "width": 8.0}), feather=3.0),
    "All but edges": _made(("edges", {"width": 6.0}), invert=True),
    "Sharp areas": _made(("sharp_areas", {}), feather=2.0),
    "Darks only": _made(("brightness", {"high": 0.3})),
    "Brightest left out": _made(("brightness", {"op": "subtract", "low": 0.6, "high": 1.0, "power": 3.0})),
    "Stars left alone": _made(("stars", {"op": "subtract"}), feather=1.0),
}
