"""Remedies: a route as UTF-8 JSON, read with every fault told at once."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dustpan.core.document.params import nearest, shorten
from dustpan.core.document.route import Route, Step, Where
from dustpan.core.errors import RemedyError
from dustpan.core.filters.blend import LAWS
from dustpan.core.noise.model import NoiseModel
from dustpan.core.steps import kinds
from dustpan.core.where import part_kinds
from dustpan.core.where.base import MAX_FEATHER, OPS, Part

FORMAT = "dustpan-remedy"
VERSION = 1
SCALINGS = ("measured", "fixed")
_KEYS = (
    "format",
    "version",
    "name",
    "camera",
    "iso",
    "note",
    "made_on",
    "scaling",
    "wheres",
    "steps",
    "output",
    "extra",
)
_STEP_KEYS = ("kind", "id", "name", "on", "mix", "blend", "params", "where", "extra")
_WHERE_KEYS = ("invert", "feather", "from", "parts")
_OUTPUT = ("size", "viewing")
_PART_KEYS = ("id", "kind", "op", "invert", "on")


@dataclass(frozen=True)
class Remedy:
    """A route saved for reuse, with the camera and ISO it was made for."""

    route: Route
    name: str = ""
    camera: str = ""
    iso: int | None = None
    note: str = ""
    made_on: Mapping[str, Any] = field(default_factory=dict)
    scaling: str = "measured"
    output: Mapping[str, Any] = field(default_factory=dict)
    extra: Mapping[str, Any] = field(default_factory=dict)

    @property
    def fixed_noise(self) -> NoiseModel | None:
        """The noise model to use instead of a measurement, when the scaling is fixed."""
        noise = self.made_on.get("noise")
        return NoiseModel.from_json(noise) if self.scaling == "fixed" and noise else None


def unmet_wishes(remedy: Remedy) -> list[str]:
    """Return messages about output settings of a remedy that are kept but not applied."""
    if not remedy.output:
        return []
    return [
        "The remedy's wishes for the output (its size or its viewing) were not followed: the picture keeps its size."
    ]


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
        "wheres": {},
        "steps": [_step_to_json(step) for step in remedy.route],
        "output": dict(remedy.output),
    }
    if remedy.extra:
        data["extra"] = dict(remedy.extra)
    return data


def read_remedy(text: str, *, where: str) -> Remedy:
    """Read a remedy; `where` names the file in messages.

    Raises
    ------
    RemedyError that lists every field that is unknown, of the wrong kind or out of range.
    """
    try:
        data = json.loads(text.removeprefix("\ufeff"))
    except ValueError as fault:
        raise RemedyError(where, [f"not JSON ({fault})"]) from None
    except RecursionError:
        raise RemedyError(where, ["not a remedy (lists or objects inside one another too deeply)"]) from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise RemedyError(where, [f"'format' is not '{FORMAT}'; this is not a remedy"])
    if data.get("version") != VERSION:
        raise RemedyError(where, [f"'version' is {shorten(data.get('version'))}; this program reads version {VERSION}"])
    faults = [f"unknown field {shorten(key)}{nearest(key, _KEYS)}" for key in data if key not in _KEYS]
    faults += _head_faults(data) + _output_faults(data.get("output", {}))
    steps = data.get("steps", [])
    if not isinstance(steps, list):
        faults.append("'steps' is not a list")
        steps = []
    read = _with_ids([_read_step(item, f"steps[{number}]", faults) for number, item in enumerate(steps)])
    ids = [step.id for step in read if step]
    faults += [f"steps: the id '{name}' stands twice" for name in sorted({n for n in ids if ids.count(n) > 1})]
    if faults:
        raise RemedyError(where, faults)
    head = {
        key: data[key]
        for key in ("name", "camera", "iso", "note", "made_on", "scaling", "output", "extra")
        if key in data
    }
    return Remedy(Route(tuple(step for step in read if step)), **head)


def _with_ids(steps: list[Step | None]) -> list[Step | None]:
    """Give the steps that name no id of their own one that no other has."""
    given = Route(tuple(step for step in steps if step is not None and step.id))
    named: list[Step | None] = []
    for step in steps:
        if step is not None and not step.id:
            step = replace(step, id=given.free_id(step.kind))
            given = Route((*given.steps, step))
        named.append(step)
    return named


def _output_faults(output: Any) -> list[str]:
    """Return what is wrong with the wishes for the output: its size in pixels, and how it is viewed."""
    if not isinstance(output, dict):
        return []  # told with the rest of the head
    faults = [f"output: unknown field {shorten(key)}{nearest(key, _OUTPUT)}" for key in output if key not in _OUTPUT]
    size, viewing = output.get("size"), output.get("viewing")
    if isinstance(size, str):
        parts = size.lower().split("x")
        sides = [int(part) for part in parts if part.isascii() and part.isdigit() and len(part) <= 6]
        sides = sides if len(sides) == len(parts) else []
    else:
        sides = size if isinstance(size, list) else []
    if size is not None and not (len(sides) == 2 and all(_is_whole(side, 8, 100_000) for side in sides)):
        faults.append(f"output: 'size' is {shorten(size)}: expected WxH or two whole numbers from 8 to 100000")
    if viewing is not None and not (isinstance(viewing, dict) or _is_letters(viewing)):
        faults.append(f"output: 'viewing' is {shorten(viewing)}: expected text or an object")
    return faults


def _head_faults(data: dict) -> list[str]:
    faults = []
    for key in ("name", "camera", "note"):
        if not _is_letters(data.get(key, "")):
            faults.append(f"'{key}' is {shorten(data[key])}: expected text")
    iso = data.get("iso")
    if iso is not None and (not isinstance(iso, int) or isinstance(iso, bool) or iso <= 0):
        faults.append(f"'iso' is {shorten(iso)}: expected a whole number above 0")
    if data.get("scaling", "measured") not in list(SCALINGS):
        faults.append(f"'scaling' is {shorten(data['scaling'])}: expected one of {', '.join(SCALINGS)}")
    for key in ("made_on", "output", "extra", "wheres"):
        if not isinstance(data.get(key, {}), dict):
            faults.append(f"'{key}' is {shorten(data[key])}: expected an object")
    if data.get("wheres"):
        faults.append("'wheres': no kind of part that uses a kept Where is known")
    if data.get("scaling") == "fixed" and not faults:
        faults += _noise_faults(data.get("made_on", {}))
    return faults


def _noise_faults(made_on: dict) -> list[str]:
    try:
        NoiseModel.from_json(made_on["noise"])
    except KeyError:
        return ["'made_on.noise' is needed for fixed scaling"]
    except (TypeError, ValueError) as fault:
        return [f"'made_on.noise': {fault}"]
    return []


def _step_to_json(step: Step) -> dict:
    data: dict[str, Any] = {"kind": step.kind, "id": step.id, "on": step.on, "mix": step.mix, "blend": step.blend}
    if step.name:
        data["name"] = step.name
    data["params"] = step.params.to_json()
    if step.where != Where():
        data["where"] = where_to_json(step.where)
    if step.extra:
        data["extra"] = dict(step.extra)
    return data


def where_to_json(where: Where) -> dict:
    """Return a Where as plain values."""
    parts = [
        {"id": p.id, "kind": p.kind.kind, "op": p.op, "invert": p.invert, "on": p.on, **p.params.to_json()}
        for p in where.parts
    ]
    return {"invert": where.invert, "feather": where.feather, "from": where.origin, "parts": parts}


def _read_step(item: Any, at: str, faults: list[str]) -> Step | None:
    if not isinstance(item, dict):
        faults.append(f"{at}: expected an object")
        return None
    known = kinds()
    name: str = item.get("kind", "")
    if name not in list(known):
        faults.append(f"{at}: unknown kind {shorten(name)}{nearest(str(name)[:60], known)}")
        return None
    kind = known[name]
    at = f"{at} ({name})"
    before = len(faults)
    faults += [f"{at}: unknown field '{key}'{nearest(key, _STEP_KEYS)}" for key in item if key not in _STEP_KEYS]
    values = item.get("params", {})
    if isinstance(values, dict):
        faults += [f"{at}: {fault}" for fault in kind.params_type.faults(values)]
    else:
        faults.append(f"{at}: 'params' is not an object")
    _check(
        item,
        at,
        faults,
        mix=_is_share,
        on=_is_switch,
        blend=lambda v: v in list(LAWS),
        id=_is_text,
        name=_is_letters,
        extra=lambda v: isinstance(v, dict),
    )
    where = _read_where(item.get("where", {}), at, faults)
    if len(faults) > before:
        return None
    return Step(
        str(item.get("id", "")),
        name,
        kind.params_type.from_json(values, where=at),
        item.get("on", True),
        item.get("name", ""),
        float(item.get("mix", 1.0)),
        item.get("blend", kind.default_blend),
        where,
        item.get("extra", {}),
    )


_EXPECTED = {
    "mix": "a number from 0 to 1",
    "on": "true or false",
    "invert": "true or false",
    "id": "text",
    "name": "text",
    "blend": f"one of {', '.join(LAWS)}",
    "op": f"one of {', '.join(OPS)}",
    "from": "source or input",
    "feather": f"a number from 0 to {MAX_FEATHER:g}",
    "parts": "a list",
    "extra": "an object",
}


def _check(item: dict, at: str, faults: list[str], **tests) -> None:
    for key, sound in tests.items():
        name = "from" if key == "origin" else key
        if name in item and not sound(item[name]):
            faults.append(f"{at}: '{name}' is {shorten(item[name])}: expected {_EXPECTED[name]}")


def _is_number(value, low, high) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high


def _is_whole(value, low, high) -> bool:
    return isinstance(value, int) and _is_number(value, low, high)


def _is_letters(value) -> bool:
    """Return whether a value is text whose letters can be written."""
    try:
        return isinstance(value, str) and bool(value.encode("utf-8") or True)
    except UnicodeEncodeError:
        return False


def _is_share(value) -> bool:
    return _is_number(value, 0, 1)


def _is_switch(value) -> bool:
    return isinstance(value, bool)


def _is_text(value) -> bool:
    return bool(value) and _is_letters(value)


def _read_where(data: Any, at: str, faults: list[str]) -> Where:
    if not isinstance(data, dict):
        faults.append(f"{at}: 'where' is not an object")
        return Where()
    at = f"{at} where"
    before = len(faults)
    faults += [f"{at}: unknown field '{key}'{nearest(key, _WHERE_KEYS)}" for key in data if key not in _WHERE_KEYS]
    _check(
        data,
        at,
        faults,
        invert=_is_switch,
        feather=lambda v: _is_number(v, 0, MAX_FEATHER),
        origin=lambda v: v in ["source", "input"],
        parts=lambda v: isinstance(v, list),
    )
    if len(faults) > before:
        return Where()
    parts = [_read_part(item, f"{at} parts[{n}]", n, faults) for n, item in enumerate(data.get("parts", []))]
    return Where(
        tuple(part for part in parts if part),
        data.get("invert", False),
        float(data.get("feather", 0.0)),
        data.get("from", "source"),
    )


def _read_part(item: Any, at: str, number: int, faults: list[str]) -> Part | None:
    known = part_kinds()
    if not isinstance(item, dict) or item.get("kind") not in list(known):
        name = item.get("kind") if isinstance(item, dict) else item
        faults.append(f"{at}: unknown kind {shorten(name)}{nearest(str(name)[:60], known)}; known: {', '.join(known)}")
        return None
    kind = known[item["kind"]]
    before = len(faults)
    _check(item, at, faults, op=lambda v: v in list(OPS), invert=_is_switch, on=_is_switch, id=_is_text)
    values = {key: value for key, value in item.items() if key not in _PART_KEYS}
    faults += [f"{at}: {fault}" for fault in kind.params_type.faults(values)]
    if len(faults) > before:
        return None
    params = kind.params_type.from_json(values, where=at)
    return Part(
        item.get("id", f"{kind.kind}_{number + 1}"),
        kind,
        params,
        item.get("op", "add"),
        item.get("invert", False),
        item.get("on", True),
    )
