"""What masks cost: each kind of part on 24 MP, and the brush while it is drawn."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np

from benchmarks.common import console, median_seconds, table
from dustpan.core.document.forms import Stroke
from dustpan.core.document.history import Document
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.where import part_kinds
from dustpan.core.where.brush import paint_strokes
from dustpan.simulate.scenes import noisy_picture

_SIZE = (6000, 4000)
_PARTS: dict[str, dict] = {
    "edges": {},
    "sharp_areas": {},
    "brightness": {},
    "colour": {},
    "flat": {},
    "stars": {},
    "ellipse": {},
    "ellipse, pulled": {"pull": 1.0},
    "gradient": {},
    "grown": {"seeds": ((0.62, 0.4, True),)},
}
_BLOCK = (2560, 1536, 2816, 1792)


def run() -> None:
    """Print a table of the parts, and the milliseconds of a dab after many strokes."""
    small = noisy_picture("bench", iso=3200, size=(1500, 1000)).pixels
    engine = Engine(Source(np.tile(small, (4, 4, 1))))
    engine.plan(_with(Where()))  # the noise is measured
    made = table("Masks on 24 MP", "part", "looking at the whole, s", "a view of 1.2 MP, s")
    for name, values in _PARTS.items():
        made.add_row(name, *_times(engine, name.split(",")[0], values))
    console.print(made)
    _brush()


def _with(where: Where) -> Document:
    return Document(Route((replace(new_step("exposure", "lighter"), where=where),)))


def _times(engine: Engine, kind: str, values: dict) -> tuple[str, str]:
    params = replace(part_kinds()[kind].params_type(), **values)
    where = Where((Part("part", kind, params),))
    begun = time.perf_counter()
    plan = engine.plan(_with(where))
    looked = time.perf_counter() - begun
    prepared = plan.prepared[0]
    view = (2048, 1024, 3328, 1984)
    engine.mask(plan, prepared, view)  # what is looked at has been made quiet
    return f"{looked:.2f}", f"{median_seconds(lambda: engine.mask(plan, prepared, view), 3):.3f}"


def _brush() -> None:
    rng = np.random.default_rng(1)
    made = table("A dab on 24 MP, after so many strokes", "strokes", "one block, ms")
    for count in (0, 100, 500):
        walks = rng.uniform(0.1, 0.9, (count, 1, 2)) + np.cumsum(rng.normal(0, 0.005, (count, 30, 2)), axis=1)
        before = tuple(Stroke(tuple((float(x), float(y), 1.0) for x, y in walk), size=0.03) for walk in walks)
        stroke = Stroke(tuple((0.4 + 0.002 * n, 0.4, 1.0) for n in range(60)), size=0.03)
        paint_strokes((*before, stroke), _BLOCK, _SIZE)
        seconds = median_seconds(lambda b=before, s=stroke: paint_strokes((*b, s), _BLOCK, _SIZE), 5)
        made.add_row(str(count), f"{1000 * seconds:.1f}")
    console.print(made)
