"""A rendered picture of few samples: cleaned by tone alone, and guided by its surfaces, beside renders of more."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from benchmarks.common import console, median_seconds, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, Step, new_step
from dustpan.core.filters.similarity import similarity
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import block_regions
from dustpan.core.steps.mend.fireflies import STRENGTH_GUIDED
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool
from dustpan.simulate.samples import SAMPLES, sample_picture, truth_picture

_SCENE = "escapement"


def run() -> None:
    """Print quality, and seconds for a megapixel, for each number of samples."""
    truth = _shown(truth_picture(_SCENE).pixels)
    made = table(
        "Escapement, dB (SSIM), and s/MP", "samples", "as rendered", "by tone alone", "mended", "mended, guided"
    )
    fireflies = new_step("fireflies", "fireflies")
    fireflies = replace(fireflies, params=replace(fireflies.params, strength=STRENGTH_GUIDED))  # as it is proposed
    routes = [(_noise(guided=False),), (fireflies,), (fireflies, _noise(guided=True))]
    pool = Pool(2)
    for samples in SAMPLES:
        source = sample_picture(_SCENE, samples=samples)
        row = [_told(_shown(source.pixels), truth)]
        for route in routes:
            result, seconds = _worked(source, route, pool)
            row.append(f"{_told(np.clip(result, 0, 1), truth)}, {seconds:.2f}")
        made.add_row(str(samples), *row)
    pool.close()
    console.print(made)
    sound = replace(truth_picture(_SCENE), layers=sample_picture(_SCENE, samples=SAMPLES[-1]).layers)
    console.print("Proposed for the truth:", ", ".join(step.kind for step in propose_route(Engine(sound))) or "nothing")


def _noise(*, guided: bool) -> Step:
    step = new_step("noise", "noise")
    full = {"auto": False, "luminance": 100.0, "colour": 100.0, "detail_return": 0.0, "guided": guided}
    return replace(step, params=replace(step.params, **full))


def _worked(source: Source, steps: tuple[Step, ...], pool: Pool) -> tuple[np.ndarray, float]:
    """Return the picture after some steps, and the seconds for a megapixel once its noise is measured."""
    known = Engine(source)
    document = Document(Route(steps))
    plan = known.plan(document)

    def work() -> None:
        engine = Engine(source, noise=known.noise, pool=pool)
        fresh = engine.plan(document)
        parts = [
            pool.submit(partial(engine.render, fresh, region), priority=0, token=Token())
            for region in block_regions(fresh.size)
        ]
        for part in parts:
            part.result()

    result = known.render(plan, (0, 0, *plan.size))
    return result, median_seconds(work, 3) / (source.width * source.height / 1e6)


def _shown(light: np.ndarray) -> np.ndarray:
    return np.clip(encode_curve(light.astype(np.float32)), 0, 1)


def _told(picture: np.ndarray, truth: np.ndarray) -> str:
    return f"{psnr(picture, truth):.2f} ({similarity(picture, truth):.3f})"
