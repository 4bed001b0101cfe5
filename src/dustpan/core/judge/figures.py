"""Compute figures of a route from patches before and after it, and the harm that follows from them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from dustpan.core.judge.harms import HARMS, MEASURES, Figures, Patch
from dustpan.core.judge.harms.harm import Sides
from dustpan.core.judge.harms.texture import slope_gain
from dustpan.core.judge.spots import Spot
from dustpan.core.noise.fields import NoiseField
from dustpan.core.picture.region import Extent
from dustpan.core.steps.finding import Finding

_MOST_POINTS = 12  # of a harm
_OF_SQUARE = 3  # level of the noise that means over squares of 8 px have

#: What one patch adds to the figures: a value for each of `MEASURES`.
PatchFigures = tuple[Any, ...]


def patch_in(field: NoiseField, extent: Extent, sides: Sides, original: np.ndarray) -> Patch:
    """Return a patch of which an extent of the picture holds the noise, see `Patch`."""

    def reach(tone: np.ndarray) -> np.ndarray:
        fine, of_square = (field.channel_sigma(tone, extent, level=level) for level in (0, _OF_SQUARE))
        return np.hypot(fine, of_square) + of_square

    gain = slope_gain(field.spectrum[0, 0])
    return Patch(*sides, original, lambda tone: field.sigma(tone, extent)[0], reach, gain)


def measure_patch(patch: Patch) -> PatchFigures:
    """Return what one patch adds to the figures."""
    return tuple(measure.measure(patch) for measure in MEASURES)


def combine_figures(patches: Sequence[PatchFigures], by_tone: Sequence[int] | None = None) -> Figures:
    """Return the figures over patches.

    Parameters
    ----------
    by_tone : indices of the patches for figures that are shares of the picture; all by default.
    """
    figures = Figures()
    for number, measure in enumerate(MEASURES):
        counted = range(len(patches)) if by_tone is None or not measure.of_picture else by_tone
        figures |= measure.combine([patches[index][number] for index in counted])
    return figures


def find_harms(whole: Figures, spots: Sequence[Spot], each: Sequence[Figures]) -> list[Finding]:
    """Return the harm of a route from its figures over all patches, with the spots where it is worst.

    Parameters
    ----------
    whole : over all patches.
    spots, each : the patches, and the figures of each alone.
    """
    found = []
    for harm in HARMS:
        value = harm.size_in(whole)
        if value is None:
            continue
        own = [(spot, harm.size_in(figures)) for spot, figures in zip(spots, each, strict=True)]
        worse = [(spot, size) for spot, size in own if size is not None]
        worse.sort(key=lambda entry: entry[1], reverse=not harm.below)
        points = tuple((spot.x, spot.y) for spot, _ in worse[:_MOST_POINTS])
        size = value * harm.scale
        found.append(Finding(harm.what, harm.words.format(size=size), float(size), "", points, harm=True))
    return found
