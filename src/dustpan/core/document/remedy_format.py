"""Remedies as UTF-8 JSON, read with every fault reported at once."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from dustpan.core.document import checks
from dustpan.core.document.checks import Rule, find_faults, nearest, shorten
from dustpan.core.document.kinds import part_kinds, step_kinds
from dustpan.core.document.remedy import VISIBLE, Remedy
from dustpan.core.document.route import BLENDS, MAX_FEATHER, OPERATIONS, Part, Route, Step, Where
from dustpan.core.document.viewing import viewing_fault
from dustpan.core.errors import RemedyError

FORMAT = "dustpan-remedy"
VERSION = 1
_SIDES = checks.whole_number(8, 100_000)


def _is_size(value: Any) -> bool:
    """Return whether a value is WxH or two sides."""
    if isinstance(value, str):
        words = value.lower().split("x")
        if not all(word.isascii() and word.isdigit() and len(word) <= 6 for word in words):
            return False
        value = [int(word) for word in words]
    return isinstance(value, list) and len(value) == 2 and all(_SIDES.test(side) for side in value)


_HEAD = {
    "format": checks.ANYTHING,
    "version": checks.ANYTHING,
    "name": checks.TEXT,
    "camera": checks.TEXT,
    "iso": Rule(
        lambda value: value is None or (isinstance(value, int) and not isinstance(value, bool) and value > 0),
        "a whole number above 0",
    ),
    "note": checks.TEXT,
    "made_on": checks.OBJECT,
    "scaling": checks.one_of(("measured", "fixed")),
    "wheres": checks.OBJECT,
    "steps": checks.LIST,
    "output": checks.OBJECT,
    "extra": checks.OBJECT,
}
_MADE_ON = {
    "visible": checks.number(*VISIBLE),
    "picture": checks.TEXT,
}  # of its other facts the noise model is checked where it is used
_OUTPUT = {
    "size": Rule(lambda value: value is None or _is_size(value), "WxH or two whole numbers from 8 to 100000"),
    "viewing": Rule(
        lambda value: viewing_fault(value) is None,
        "text, or an object with distance (10 to 1000 cm), density (20 to 2400 pixels an inch), spread (0 to 1 mm)",
    ),
}
_STEP = {
    "kind": checks.ANYTHING,
    "id": checks.NAME,
    "name": checks.TEXT,
    "on": checks.SWITCH,
    "mix": checks.number(0, 1),
    "blend": checks.one_of(BLENDS),
    "params": checks.OBJECT,
    "where": checks.OBJECT,
    "extra": checks.OBJECT,
}
_WHERE = {
    "invert": checks.SWITCH,
    "feather": checks.number(0, MAX_FEATHER),
    "from": checks.one_of(("source", "input")),
    "parts": checks.LIST,
}
_PART = {
    "id": checks.NAME,
    "kind": checks.ANYTHING,
    "op": checks.one_of(OPERATIONS),
    "invert": checks.SWITCH,
    "on": checks.SWITCH,
}


def write_remedy(remedy: Remedy) -> str:
    """Return a remedy as JSON text."""
    return json.dumps(remedy_to_json(remedy), indent=2, ensure_ascii=False) + "\n"


def remedy_to_json(remedy: Remedy) -> dict[str, Any]:
    """Return a remedy as plain values."""
    data: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "name": remedy.name,
        "camera": remedy.camera,
        "iso": remedy.iso,
        "note": remedy.note,
        "made_on": dict(remedy.made_on),
        "scaling": remedy.scaling,
        "wheres": {name: _where_to_json(where) for name, where in remedy.route.wheres},
        "steps": [_step_to_json(step) for step in remedy.route],
        "output": dict(remedy.output),
    }
    if remedy.extra:
        data["extra"] = dict(remedy.extra)
    return data


def _step_to_json(step: Step) -> dict:
    data: dict[str, Any] = {"kind": step.kind, "id": step.id, "on": step.on, "mix": step.mix, "blend": step.blend}
    if step.name:
        data["name"] = step.name
    data["params"] = step.params.to_json()
    if step.where != Where():
        data["where"] = _where_to_json(step.where)
    if step.extra:
        data["extra"] = dict(step.extra)
    return data


def _where_to_json(where: Where) -> dict:
    parts = [
        {"id": part.id, "kind": part.kind, "op": part.op, "invert": part.invert, "on": part.on, **part.params.to_json()}
        for part in where.parts
    ]
    return {"invert": where.invert, "feather": where.feather, "from": where.origin, "parts": parts}


def _no_faults(made_on: Mapping[str, Any]) -> list[str]:
    return []


def read_remedy(
    text: str, *, where: str, check_made_on: Callable[[Mapping[str, Any]], list[str]] = _no_faults
) -> Remedy:
    """Read a remedy.

    Parameters
    ----------
    text : JSON.
    where : name of the file, for messages.
    check_made_on : returns what is wrong with `made_on`, one line each; called for fixed scaling.

    Raises
    ------
    RemedyError
        Lists every field that is unknown, of the wrong kind or out of range.
    """
    data = _parse(text, where)
    faults = find_faults(data, _HEAD)
    if isinstance(data.get("output", {}), dict):
        faults += find_faults(data.get("output", {}), _OUTPUT, at="output")
    if isinstance(made_on := data.get("made_on", {}), dict):
        faults += find_faults({key: made_on[key] for key in made_on if key in _MADE_ON}, _MADE_ON, at="made_on")
    if data.get("scaling") == "fixed" and not faults:
        faults += check_made_on(data.get("made_on", {}))
    wheres = _read_wheres(data.get("wheres", {}), faults)
    items = data.get("steps", []) if isinstance(data.get("steps", []), list) else []
    steps = _with_ids([_read_step(item, f"steps[{number}]", faults) for number, item in enumerate(items)])
    ids = [step.id for step in steps]
    faults += [f"steps: the id '{name}' stands twice" for name in sorted({n for n in ids if ids.count(n) > 1})]
    faults += _unkept(steps, wheres)
    if faults:
        raise RemedyError(where, faults)
    head = ("name", "camera", "iso", "note", "made_on", "scaling", "output", "extra")
    return Remedy(Route(tuple(steps), wheres), **{key: data[key] for key in head if key in data})


def _parse(text: str, where: str) -> dict[str, Any]:
    """Return the object that JSON text holds; raises RemedyError when it is no remedy of this version."""
    try:
        data = json.loads(text.removeprefix("\ufeff"), parse_constant=_finite, parse_float=_finite)
    except ValueError as fault:
        raise RemedyError(where, [f"not JSON ({fault})"]) from None
    except RecursionError:
        raise RemedyError(where, ["not a remedy (lists or objects inside one another too deeply)"]) from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise RemedyError(where, [f"'format' is not '{FORMAT}'; this is not a remedy"])
    if data.get("version") != VERSION:
        raise RemedyError(where, [f"'version' is {shorten(data.get('version'))}; this program reads version {VERSION}"])
    return data


def _finite(text: str) -> float:
    """Return a number; what JSON has no numbers for, though some programs write it, is refused."""
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{shorten(text)} is no number that can be kept")
    return value


def _with_ids(steps: list[Step | None]) -> list[Step]:
    """Return the steps that could be read; those without an id of their own get one that no other has."""
    read = [step for step in steps if step is not None]
    given = Route(tuple(step for step in read if step.id))
    named: list[Step] = []
    for step in read:
        if not step.id:
            step = replace(step, id=given.free_id(step.kind))
            given = given.inserted(step, len(given))
        named.append(step)
    return named


def _unknown_kind(item: Any, known: Mapping[str, Any]) -> str | None:
    """Return what is wrong with the kind that an item names, or None."""
    if not isinstance(item, dict):
        return f"{shorten(item)}: expected an object"
    name = item.get("kind", "")
    if isinstance(name, str) and name in known:
        return None
    return f"unknown kind {shorten(name)}{nearest(str(name)[:60], known)}; known: {', '.join(known)}"


def _read_step(item: Any, at: str, faults: list[str]) -> Step | None:
    if fault := _unknown_kind(item, step_kinds()):
        faults.append(f"{at}: {fault}")
        return None
    kind = step_kinds()[item["kind"]]
    at = f"{at} ({kind.kind})"
    before = len(faults)
    faults += find_faults(item, _STEP, at=at)
    values = item.get("params", {})
    if isinstance(values, dict):
        faults += [f"{at}: {fault}" for fault in kind.params_type.faults(values)]
    where = _read_where(item["where"], f"{at} where", faults) if isinstance(item.get("where"), dict) else Where()
    if len(faults) > before:
        return None
    return Step(
        id=str(item.get("id", "")),
        kind=kind.kind,
        params=kind.params_type.from_json(values, where=at),
        on=item.get("on", True),
        name=item.get("name", ""),
        mix=float(item.get("mix", 1.0)),
        blend=item.get("blend", kind.default_blend),
        where=where,
        extra=item.get("extra", {}),
    )


def _read_where(data: dict, at: str, faults: list[str]) -> Where:
    if found := find_faults(data, _WHERE, at=at):
        faults += found
        return Where()
    parts = [
        _read_part(item, number, f"{at} parts[{number}]", faults) for number, item in enumerate(data.get("parts", []))
    ]
    return Where(
        parts=tuple(part for part in parts if part),
        invert=data.get("invert", False),
        feather=float(data.get("feather", 0.0)),
        origin=data.get("from", "source"),
    )


def _read_wheres(data: Any, faults: list[str]) -> tuple[tuple[str, Where], ...]:
    """Return the kept Wheres by name."""
    if not isinstance(data, dict):
        return ()  # reported with the other fields
    kept = []
    for name, item in data.items():
        if isinstance(item, dict):
            kept.append((name, _read_where(item, f"wheres '{name}'", faults)))
        else:
            faults.append(f"wheres '{name}' is {shorten(item)}: expected an object")
    return tuple(kept)


def _unkept(steps: Iterable[Step], wheres: tuple[tuple[str, Where], ...]) -> list[str]:
    """Return one line for each name that is used and not kept, and for each that leads back to itself."""
    kept = dict(wheres)
    used = {name: _names(where) for name, where in kept.items()}
    faults = [
        f"{at}: no Where is kept under the name {shorten(name)}{nearest(name, kept)}"
        for at, names in [(step.id, _names(step.where)) for step in steps]
        + [(f"wheres '{n}'", u) for n, u in used.items()]
        for name in sorted(names - set(kept))
    ]
    return faults + [f"wheres '{name}' is made of itself" for name in kept if name in _reached(name, used)]


def _names(where: Where) -> set[str]:
    return {name for part in where.parts if (name := part.params.refers_to) is not None}


def _reached(name: str, used: Mapping[str, set[str]]) -> set[str]:
    """Return the names that a kept Where is made of, over any number of turns."""
    reached: set[str] = set()
    waiting = list(used.get(name, ()))
    while waiting:
        if (other := waiting.pop()) not in reached:
            reached.add(other)
            waiting += used.get(other, ())
    return reached


def _read_part(item: Any, number: int, at: str, faults: list[str]) -> Part | None:
    if fault := _unknown_kind(item, part_kinds()):
        faults.append(f"{at}: {fault}")
        return None
    kind = part_kinds()[item["kind"]]
    before = len(faults)
    own = {key: value for key, value in item.items() if key in _PART}
    values = {key: value for key, value in item.items() if key not in _PART}
    faults += find_faults(own, _PART, at=at)
    faults += [f"{at}: {fault}" for fault in kind.params_type.faults(values)]
    if len(faults) > before:
        return None
    return Part(
        id=item.get("id", f"{kind.kind}_{number + 1}"),
        kind=kind.kind,
        params=kind.params_type.from_json(values, where=at),
        op=item.get("op", "add"),
        invert=item.get("invert", False),
        on=item.get("on", True),
    )
