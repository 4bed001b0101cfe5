"""Mend on pictures without a defect: which steps are proposed, and what each costs where it is added by hand."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import partial

import numpy as np
from PIL import Image
from training import kinds
from training.kinds import Spoiled

from benchmarks.common import HELD_BACK, console, photographs, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.picture.curve import decode_curve
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds as step_kinds

_STEPS = ("hot_pixels", "fireflies", "banding", "sensor_lines", "channel_shift", "fringe")
_SOUND = (
    "white 10",
    "camera, low ISO",
    "camera",
    "camera, high ISO",
    "camera, bilinear",
    "camera, JPEG 92",
    "camera, JPEG 75",
    "grain, 0.8 px",
    "small camera",
    "enlarged 2 times",
    "corrected corners",
    "rounded to 5 bits",
    "sound",
    "sound, JPEG 90",
)
_MOST_COST = 0.1  # dB


def _linear(clean: np.ndarray, rng: np.random.Generator, *, of: kinds.Kind) -> Spoiled:
    """Return a picture stored as linear light, as renderers do."""
    made = of(clean, rng)
    return Spoiled(made.noisy, made.truth, decode_curve(made.noisy.astype(np.float32)), linear=True)


_LINEAR = {
    "sound, linear": partial(_linear, of=kinds.sound),
    "camera, linear": partial(_linear, of=partial(kinds.camera, electrons=2400.0)),
}


def _pictures(which: int) -> Iterator[tuple[str, str, Spoiled]]:
    for path in photographs()[which::HELD_BACK]:
        clean = np.asarray(Image.open(path).convert("RGB"), np.float32) / 255
        for kind in (*_SOUND, *_LINEAR):
            make = kinds.KINDS.get(kind) or _LINEAR[kind]
            yield kind, path.stem, make(clean, np.random.default_rng([int(path.stem), sum(kind.encode())]))


def run(which: int = HELD_BACK - 1) -> None:
    """Print a row for each step: proposals, and the costs of the step where it was added."""
    proposed, costs = defaultdict(list), defaultdict(list)
    count = 0
    for kind, stem, made in _pictures(which):
        count += 1
        engine = Engine(made.source)
        plan = engine.plan(Document())
        survey = engine.survey(plan)
        before = to_working(made.pixels, linear=made.linear)
        for name in _STEPS:
            step = step_kinds()[name]
            if step.propose(survey) is not None:
                proposed[name].append(f"{stem} {kind}")
            after = engine.plan(Document(Route((new_step(name, name),))))
            cost = psnr(before, made.truth) - psnr(engine.render(after, (0, 0, *after.size)), made.truth)
            costs[name].append((cost, f"{stem} {kind}"))
    if not count:
        console.print("No photographs: set DUSTPAN_PHOTOS to a folder of them.")
        return
    shown = table(f"Mend on {count} pictures without a defect", "step", "proposed", "cost over 0.1 dB", "worst, dB")
    for name in _STEPS:
        worst = max(costs[name])
        over = sum(cost > _MOST_COST for cost, _ in costs[name])
        shown.add_row(name, str(len(proposed[name])), str(over), f"{worst[0]:.2f} ({worst[1]})")
    console.print(shown)
    for name in _STEPS:
        if proposed[name]:
            console.print(f"{name}: {', '.join(proposed[name])}")
