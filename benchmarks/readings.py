"""The noise that the readings tell, against what two photographs of one scene differ by."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from benchmarks.common import console, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Part, Route, Step, Where, new_step
from dustpan.core.filters.colour import to_opponent
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.render.engine import Engine
from dustpan.core.where import part_kinds
from dustpan.core.work.pool import Pool
from dustpan.simulate.scenes import noisy_picture

SIZE = (1800, 1200)


def manual(kind: str, **values) -> Step:
    """Return a step with its settings made by hand."""
    step = new_step(kind, kind)
    auto = {"auto": False} if hasattr(step.params, "auto") else {}
    return replace(step, params=replace(step.params, **auto, **values))


def ellipse(**values) -> Where:
    """Return a Where of one ellipse."""
    kind = part_kinds()["ellipse"]
    return Where((Part("e", kind.kind, kind.params_type(**values)),), feather=20.0)


NOISE = {"luminance": 80.0, "colour": 90.0, "detail_return": 0.0}
ROUTES: dict[str, tuple[Step, ...]] = {
    "plain": (manual("noise", **NOISE),),
    "masked": (replace(manual("noise", **NOISE), where=ellipse(cx=0.3, cy=0.6, rx=0.3, ry=0.5, angle=30.0)),),
    "mixed by half": (replace(manual("noise", **NOISE), mix=0.5),),
    "colour only": (replace(manual("noise", **NOISE), blend="colour_only"),),
    "luminance only": (replace(manual("noise", **NOISE), blend="luminance_only"),),
    "overlay": (replace(manual("noise", **NOISE), blend="overlay", mix=0.4),),
    "lifted": (manual("exposure", ev=0.8), manual("noise", **NOISE)),
    "darks lifted": (manual("exposure", shadows=0.6), manual("noise", **NOISE)),
    "lifted behind a mask": (
        replace(manual("exposure", ev=1.0), where=ellipse()),
        manual("exposure", shadows=0.5),
        manual("noise", **NOISE),
    ),
}


def with_ids(steps: tuple[Step, ...]) -> Document:
    """Return a document whose steps have ids of their own."""
    return Document(Route(tuple(replace(step, id=f"{step.id}_{number}") for number, step in enumerate(steps))))


def true_noise(engines: tuple[Engine, Engine], document: Document, original: Document) -> tuple[float, float]:
    """Return luminance noise (levels) before and after, from the difference of two photographs where neither clips."""
    found = []
    for side in (original, document):
        one, two = (engine.render(engine.plan(side), (0, 0, *SIZE)) for engine in engines)
        difference = (to_opponent(one)[0] - to_opponent(two)[0]) / 2**0.5
        cells = difference[: SIZE[1] // 24 * 24, : SIZE[0] // 24 * 24].reshape(SIZE[1] // 24, 24, SIZE[0] // 24, 24)
        # A hot pixel or an edge in a cell must not count: the median of squares, for a normal deviate.
        squares = np.median((cells**2).transpose(0, 2, 1, 3).reshape(-1, 576), axis=1) / 0.4549
        found.append(float(np.sqrt(squares.mean()) * 255))
    return found[0], found[1]


def told_and_true(iso: int, steps: tuple[Step, ...], pool: Pool | None = None) -> tuple[float, float]:
    """Return the share of noise left as the readings tell it, and as it is."""
    engines = tuple(Engine(noisy_picture("bench", iso=iso, seed=seed, size=SIZE), pool=pool) for seed in (1, 2))
    document = with_ids(steps)
    light = Document(Route(tuple(s for s in document.route if s.kind == "exposure")))
    plan = engines[0].plan(document)
    original = engines[0].plan(Document())
    report = judge(engines[0], plan, original, choose_patches(original.base))
    before, after = true_noise(engines, document, light)
    return report.noise[1] / report.noise[0], after / before


def run() -> None:
    """Print the share of noise left, told and true, for routes of every sort."""
    pool = Pool()
    shown = table("Share of luminance noise left, readings and truth", "route", "ISO", "told", "true", "off by")
    for name, steps in ROUTES.items():
        for iso in (3200, 12800):
            told, true = told_and_true(iso, steps, pool)
            shown.add_row(name, str(iso), f"{told:.3f}", f"{true:.3f}", f"{told / true - 1:+.1%}")
    pool.close()
    console.print(shown)
