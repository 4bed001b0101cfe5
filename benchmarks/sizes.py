"""Pictures of random sizes from 1 x 1 to 300 x 300: every kind of step, the proposed route and its judgement."""

from __future__ import annotations

import time
import traceback
import warnings
from collections import Counter
from dataclasses import replace

import numpy as np

from benchmarks.common import console
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.judge.measure import measure_picture
from dustpan.core.judge.propose import propose_route
from dustpan.core.judge.report import judge
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds

SECONDS = 300.0
_LARGEST = 300


def settings(kind: str, rng: np.random.Generator) -> dict:
    """Return settings of a kind drawn from the whole range of each number."""
    found = {}
    for key, described in kinds()[kind].params_type.described().items():
        if key == "auto":
            found[key] = False
        elif described.low is not None and not described.length:
            found[key] = type(described.default)(rng.uniform(described.low, described.high))
    return found


def work(size: tuple[int, int], rng: np.random.Generator) -> None:
    """Measure a picture, propose, judge, and run each kind of step on it and in a draft."""
    width, height = size
    ramp = np.linspace(0.1, 0.8, width)[None, :, None] + rng.normal(0, 0.08, (height, width, 3))
    engine = Engine(Source((np.clip(ramp, 0, 1) * 255).astype(np.uint8)))
    measure_picture(engine)
    original, result = (engine.plan(Document(route)) for route in (Route(()), propose_route(engine)))
    judge(engine, result, original, choose_patches(original.base))
    for kind in kinds():
        if not kinds()[kind].develops:
            step = new_step(kind, kind)
            step = replace(step, params=replace(step.params, **settings(kind, rng)))
            plan = engine.plan(Document(Route((step, new_step("noise", "last")))))
            if not np.isfinite(engine.render(plan, (0, 0, width, height))).all():
                raise ValueError(f"{kind} gives numbers that are not finite")
            draft = plan.at(1)
            engine.sketch(draft, (0, 0, *draft.size))


def run() -> None:
    """Print what failed, and on how many sizes nothing did."""
    rng, faults, tried, longest = np.random.default_rng(0), Counter[str](), 0, 0.0
    begun = time.process_time()
    while time.process_time() - begun < SECONDS:
        size = (int(rng.integers(1, _LARGEST + 1)), int(rng.integers(1, _LARGEST + 1)))
        started, tried = time.process_time(), tried + 1
        try:
            with warnings.catch_warnings(action="error"):
                work(size, rng)
        except Exception as fault:  # whatever it is, is what is looked for
            where = traceback.extract_tb(fault.__traceback__)[-1]
            faults[f"{size}: {type(fault).__name__} in {where.name}: {fault}"] += 1
        longest = max(longest, time.process_time() - started)
    console.print(f"{tried} sizes, {sum(faults.values())} faults, at most {longest:.1f} CPU seconds each")
    for text, count in faults.most_common():
        console.print(f"  {count} x {text}")
