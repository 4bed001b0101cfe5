"""Gradients: smooth tones that turn into stairs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from dustpan.core.judge.harms.harm import Harm, Measure, Side
from dustpan.core.noise.model import DISPLAY

STEPS = Harm("steps", "steps", 2.0, "gradients in steps of {size:.0f} levels")

_EQUAL = 0.05  # display values by which neighbours may differ and still count as equal
_MOSTLY_EQUAL = 0.6  # share of equal neighbours from which a patch may hold steps
_STEP_RANGE = (0.5, 24.0)  # display values; what rises by less or more is no step
_FEW_STEPS = 0.005  # share of neighbours; so few steps are none


def measure_steps(side: Side, among: np.ndarray | None = None) -> float | None:
    """Return the height, in display values, of the stairs in a smooth patch; None without any.

    Parameters
    ----------
    among : (h, w - 1) bool, the pairs of neighbours that are looked at; all by default.

    Notes
    -----
    In a gradient that was lifted from few values most neighbours are equal, and the others differ by one stair. With
    noise or dither over it hardly any neighbours are equal, and no stairs are visible.
    """
    rise = side.derived(_rises) if among is None else side.derived(_rises)[among]
    if not rise.size or (rise < _EQUAL).mean() <= _MOSTLY_EQUAL:
        return None
    steps = rise[(rise >= _STEP_RANGE[0]) & (rise < _STEP_RANGE[1])]
    return float(np.median(steps)) if steps.size > _FEW_STEPS * rise.size else None


def _rises(side: Side) -> np.ndarray:
    """Return by how many display values neighbours in a row differ, (h, w - 1)."""
    return np.abs(np.diff(np.clip(side.tone, 0, 1) * DISPLAY, axis=1))


def combine_steps(patches: Sequence[float | None]) -> float | None:
    """Return the median height over the patches that have steps, or None."""
    found = [height for height in patches if height is not None]
    return float(np.median(found)) if found else None


class Gradients(Measure):
    """Smooth tones in steps."""

    figures: ClassVar = {"steps": "height of the steps that smooth gradients have, display values"}
    harms = (STEPS,)

    def measure(self, patch):
        """Return what one patch adds; stairs that were there, and what has not changed, are the picture's own."""
        if patch.before.derived(measure_steps) is not None:
            return None
        before, after = (side.derived(_rises) for side in patch.sides)
        return measure_steps(patch.after, np.abs(after - before) >= _EQUAL)

    def combine(self, found):
        """Return the figures over patches."""
        return {"steps": combine_steps(found)}
