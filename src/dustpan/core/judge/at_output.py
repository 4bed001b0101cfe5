"""Render a picture at its output size, with the last sharpening, and judge it there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from dustpan.core.judge.figures import combine_figures, find_harms, measure_patch
from dustpan.core.judge.harms import Patch, sides_of
from dustpan.core.judge.report import plan_reference
from dustpan.core.judge.spots import choose_patches
from dustpan.core.picture.base import WholeBase
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.render.finishing import Finish, spread_of
from dustpan.core.render.output import Output, Progress, no_progress, render_native
from dustpan.core.render.plan import Plan
from dustpan.core.render.resizing import fit_within, reduce_output
from dustpan.core.steps.finding import Finding
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool

#: Harm that sharpening does; what a route has done to tones and texture is measured at the picture's own size.
_AT_OUTPUT = ("halo", "worms", "noise_louder", "clipping_black", "clipping_white")
_LEAST_SPREAD = 0.2  # px
_EIGHT = Output("png", np.uint8, alpha=False)


@dataclass(frozen=True, eq=False)
class AtOutput:
    """A picture at its output size.

    Attributes
    ----------
    pixels, plain : h x w x 3 working pixels with the last sharpening and without it.
    harm : of the route and the last sharpening, as visible at this size; points in its pixels.
    """

    pixels: np.ndarray
    plain: np.ndarray
    harm: tuple[Finding, ...]


def make_output(
    engine: Engine,
    plan: Plan,
    finish: Finish,
    *,
    pool: Pool | None = None,
    token: Token | None = None,
    progress: Progress = no_progress,
) -> AtOutput:
    """Return a plan's picture as in an 8-bit export, with the harm at that size.

    Raises Cancelled.
    """
    token = token or Token()
    reference = plan_reference(engine, plan, check=token.check)
    size = fit_within((engine.source.width, engine.source.height), finish.size)
    made = []
    for number, one in enumerate((plan, reference)):
        share = _half(progress, number)
        made.append(render_native(engine, one, _EIGHT, pool=pool, token=token, progress=share))

    def reduced(whole: np.ndarray, wanted: Finish) -> np.ndarray:
        token.check()
        kinds = {"linear": False, "alpha": False, "premultiplied": False}
        return to_working(reduce_output(whole, size, viewing=wanted.viewing, curve=engine.source.curve, **kinds))

    bare = replace(finish, viewing=None)
    plain, before = reduced(made[0], bare), reduced(made[1], bare)
    pixels = reduced(made[0], finish) if finish.viewing is not None else plain
    progress(1.0)
    spread = spread_of(finish.viewing) if finish.viewing is not None else 0.0
    return AtOutput(pixels, plain, tuple(harm_between(*(_spread(one, spread) for one in (before, pixels)))))


def _half(progress: Progress, number: int) -> Progress:
    return lambda share: progress((number + share) / 2)


def _spread(pixels: np.ndarray, deviation: float) -> np.ndarray:
    """Return pixels blurred as by screen or ink: a halo that vanishes in this blur is no harm."""
    return cv2.GaussianBlur(pixels, (0, 0), deviation) if deviation > _LEAST_SPREAD else pixels


def _no_noise(tone: np.ndarray) -> np.ndarray:
    return np.zeros((3, *tone.shape), np.float32)


def harm_between(before: np.ndarray, after: np.ndarray) -> list[Finding]:
    """Return the harm between two pictures of one size, h x w x 3 working pixels."""
    base = WholeBase.of(Source(before), "before")
    spots = choose_patches(base)
    patches = []
    for spot in spots:
        x0, y0, x1, y1 = spot.patch(within=base.size)
        pair = before[y0:y1, x0:x1], after[y0:y1, x0:x1]
        patches.append(measure_patch(Patch(*sides_of(*pair), pair[0], np.zeros_like, _no_noise, gain=1.0)))
    found = find_harms(combine_figures(patches), spots, [combine_figures([patch]) for patch in patches])
    return [harm for harm in found if harm.what in _AT_OUTPUT]
