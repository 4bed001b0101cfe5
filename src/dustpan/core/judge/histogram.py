"""How many pixels there are at each tone, before and after a step that sets the ends of tone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.filters.colour import tone_of
from dustpan.core.picture.pyramid import level_under
from dustpan.core.render.engine import Engine
from dustpan.core.work.cancel import Check, no_check

LOW, HIGH = -0.2, 1.2  # tones between which pixels are counted
BINS = 140
PLANES = ("all", "red", "green", "blue")
_PIXELS = 150_000  # of the reduced picture that is counted
_CUT = 0.5 / 255  # tone from black or white within which a pixel is cut off


@dataclass(frozen=True, eq=False)
class Histogram:
    """Counts over tone.

    Attributes
    ----------
    counts : (4, BINS) share of the pixels in each bin from `LOW` to `HIGH`, of the tone and of each channel.
    black, white : (4,) share of the pixels that are cut off there.
    """

    counts: np.ndarray
    black: np.ndarray
    white: np.ndarray

    @classmethod
    def of(cls, pixels: np.ndarray) -> Histogram:
        """Count h x w x 3 working pixels; what lies beyond the ends counts there."""
        planes = [tone_of(pixels), *np.moveaxis(pixels, 2, 0)]
        ends = (LOW + 1e-6, HIGH - 1e-6)
        counts = [np.histogram(np.clip(plane, *ends), BINS, (LOW, HIGH))[0] / plane.size for plane in planes]
        black, white = zip(*((np.mean(plane <= _CUT), np.mean(plane >= 1 - _CUT)) for plane in planes))
        return cls(np.array(counts), np.array(black), np.array(white))


def histograms(
    engine: Engine, document: Document, step_id: str, rest: Mapping[str, float], *, check: Check = no_check
) -> tuple[Histogram, Histogram]:
    """Return the histograms before and after a step of a route, counted on a reduced picture.

    Parameters
    ----------
    rest : settings of the step under which it counts as not yet done; its others act on both sides.
    """
    steps = tuple(document.route)
    index = [step.id for step in steps].index(step_id)
    at_rest = replace(steps[index], params=replace(steps[index].params, **rest))
    sides = ((*steps[:index], at_rest), steps[: index + 1])
    before, after = (_counted(engine, replace(document, route=document.route.of(side)), check) for side in sides)
    return before, after


def _counted(engine: Engine, document: Document, check: Check) -> Histogram:
    plan = engine.plan(document, check=check)
    small = plan.at(level_under(plan.base.size, _PIXELS))
    return Histogram.of(engine.sketch(small, (0, 0, *small.size), check=check))
