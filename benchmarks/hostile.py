"""Mutated files and remedies: none may end the program, hang, or say more than one line."""

from __future__ import annotations

import contextlib
import io
import json
import random
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from benchmarks.common import console
from benchmarks.formats import files
from dustpan.batch.one_picture import clean_one
from dustpan.batch.order import Order
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import DustpanError
from dustpan.core.steps import kinds
from dustpan.core.work.cancel import Token

LONGEST = 10.0  # s of CPU


def mutated(data: bytes, rng: random.Random) -> bytes:
    """Return bytes with a few flipped, cut, repeated, or numbers put in that headers fear."""
    changed = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 12))):
        at = rng.randrange(max(len(changed), 1))
        # Headers are where a change does most.
        at = at if rng.random() < 0.4 else at % 700
        how = rng.randrange(6)
        if how == 0 and len(changed) > at:
            changed[at] ^= 1 << rng.randrange(8)
        elif how == 1:
            changed[at : at + 4] = rng.choice(
                (b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff", b"\x80\x00\x00\x00")
            )
        elif how == 2:
            del changed[at : at + rng.choice((1, 4, 64, 4096))]
        elif how == 3:
            changed[at:at] = bytes(rng.randrange(256) for _ in range(rng.choice((1, 4, 80))))
        elif how == 4:
            changed = changed[: max(at, 1)]
        else:
            changed[at : at + 8] = bytes(rng.randrange(256) for _ in range(8))
    return bytes(changed)


def base_remedy() -> str:
    """Return a remedy with every kind of step, and what else a remedy can hold."""
    steps = [new_step(kind, kind) for kind in kinds()]
    data = json.loads(write_remedy(Remedy(Route(tuple(steps)), name="night", camera="Quillmark Q3", iso=6400)))
    data["output"] = {"size": "1200x800", "viewing": {"distance": 40}}
    for step in data["steps"]:
        step["params"] = {key: _plain(d.default) for key, d in kinds()[step["kind"]].params_type.described().items()}
    part = {"id": "e", "kind": "ellipse", "op": "add", "invert": False, "on": True, "cx": 0.4}
    data["steps"][-1]["where"] = {"invert": False, "feather": 4, "from": "source", "parts": [part]}
    return json.dumps(data)


def _plain(value):
    return list(value) if isinstance(value, tuple) else value


_NASTY = (
    None,
    True,
    -1,
    0,
    1e308,
    float("nan"),
    float("inf"),
    10**400,
    "",
    "x" * 5000,
    "\ud800",
    [],
    {},
    [[[[]]]],
    [1] * 1000,
)


def mutated_remedy(text: str, rng: random.Random) -> str:
    """Return a remedy with a value, a key or a piece of text changed."""
    if rng.random() < 0.3:
        return mutated(text.encode(), rng).decode("utf-8", "replace")
    if rng.random() < 0.03:
        return text[:-1] + ', "extra": ' + "[" * 100_000
    data = json.loads(text)
    for _ in range(rng.choice((1, 2, 3))):
        holder = data
        while isinstance(holder, dict | list) and len(holder):
            key = rng.choice(list(holder)) if isinstance(holder, dict) else rng.randrange(len(holder))
            inner = holder[key]
            if isinstance(inner, dict | list) and len(inner) and rng.random() < 0.8:
                holder = inner
                continue
            if rng.random() < 0.2 and isinstance(holder, dict):
                holder[rng.choice(("extra", "nme", "kind", "\ud800"))] = holder.pop(key)
            else:
                holder[key] = rng.choice(_NASTY)
            break
    return json.dumps(data)


@contextlib.contextmanager
def caught(problems: list[str], name: str) -> Iterator[None]:
    """Note what goes wrong beside a plain refusal of one line that names the file."""
    begun, printed = time.process_time(), io.StringIO()
    try:
        with contextlib.redirect_stdout(printed):
            yield
    except DustpanError as fault:
        text = str(fault)
        if "\n" in text.strip():
            problems.append(f"{name}: more than one line: {text[:80]!r}")
        if len(text) > 1000:
            problems.append(f"{name}: {len(text)} letters long")
    except Exception as fault:
        last = traceback.extract_tb(fault.__traceback__)[-1]
        problems.append(f"{name}: {type(fault).__name__}: {fault} ({Path(last.filename).name}:{last.lineno})"[:200])
    if time.process_time() - begun > LONGEST:
        problems.append(f"{name}: {time.process_time() - begun:.1f} s")


def attack_files(count: int, seed: int, folder: Path, sources: list[Path]) -> list[str]:
    """Return what went wrong with `count` mutated pictures, read and written with an empty route."""
    rng, problems = random.Random(seed), []
    for number in range(count):
        source = rng.choice(sources)
        path = folder / f"{number}-{source.name}"
        path.write_bytes(mutated(source.read_bytes(), rng))
        target = folder / "out.tif"
        with caught(problems, f"{source.name}, seed {seed}, number {number}"):
            clean_one(path, target, Order(Remedy(Route()), "tiff16", 90, True, (path,)), pool=None, token=Token())
        path.unlink()
    return problems


def attack_remedies(count: int, seed: int) -> list[str]:
    """Return what went wrong with `count` mutated remedies."""
    rng, problems, text = random.Random(seed), [], base_remedy()
    for number in range(count):
        changed = mutated_remedy(text, rng)
        with caught(problems, f"remedy, seed {seed}, number {number}"):
            write_remedy(read_remedy(changed, where="r.json"))
    return problems


def run(pictures: int = 5000, remedies: int = 2000) -> None:
    """Print what went wrong, kind by kind."""
    with tempfile.TemporaryDirectory() as folder:
        problems = attack_files(pictures, 8, Path(folder), files()) if files() else []
        left = [path.name for path in Path(folder).iterdir() if path.name.startswith(".dustpan-")]
    problems += attack_remedies(remedies, 8)
    kinds_of = Counter(problem.split(": ", 1)[1][:70] for problem in problems)
    console.print(
        f"{pictures} mutated files and {remedies} mutated remedies:"
        f" {len(problems)} problems, {len(left)} files left over"
    )
    for kind, times in kinds_of.most_common(20):
        console.print(f"  {times} x {kind}")
    for problem in problems[:40]:
        print(problem, file=sys.stderr)
    assert threading.active_count() < 20
