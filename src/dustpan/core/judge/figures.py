"""Figures of what a route did to a picture, from patches before and after, and the harms they tell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.filters.edge_profiles import Edges, find_edges
from dustpan.core.judge.harms import bands, clipping, edges, gradients, louder, stars, texture, tones, worms
from dustpan.core.judge.harms.base import Harm, Pair, SigmaOfTone
from dustpan.core.judge.spots import Spot
from dustpan.core.steps.finding import Finding

#: In the order in which they are told.
HARMS: tuple[Harm, ...] = (
    edges.HALO,
    texture.FLATTENED,
    tones.DARKER_SHADOWS,
    clipping.BLACK,
    clipping.WHITE,
    tones.DULL_HIGHLIGHTS,
    tones.CAST,
    gradients.STEPS,
    bands.BANDS,
    stars.STARS,
    louder.LOUDER,
    worms.WORMS,
)
_MOST_POINTS = 12  # of a harm


@dataclass(frozen=True)
class Figures:
    """What a route did; a figure is None when the patches hold nothing to tell it from.

    Attributes
    ----------
    texture_kept : share of the texture, 1 is untouched.
    texture_told : share of it that can be told from the noise.
    halo : overshoot at the strongest edges as a share of their step, in the patch where it is worst.
    shadow_shift : change of L* in the darks.
    speck_shift : the part of it that single pixels make, as where white specks went.
    cast : change of colour in the darks, display values (of the channel that moved most, less the mean).
    highlight_shift : change of tone in what was bright, noise left out.
    steps : height in display values of the steps that smooth gradients have.
    bands_drawn : deviation of rows or columns that are newly shifted as a whole, display values.
    stars_lost : share of the points of light in the dark that have lost over 30 % of their light.
    noise_louder : part by which the noise of bare places has grown.
    worms : deviation of strokes newly drawn in bare places, display values.
    clipped_black, clipped_white : shares of pixels newly at black and at white.
    """

    texture_kept: float | None = None
    texture_told: float = 1.0
    halo: float | None = None
    shadow_shift: float | None = None
    speck_shift: float | None = None
    cast: float | None = None
    highlight_shift: float | None = None
    steps: float | None = None
    bands_drawn: float | None = None
    stars_lost: float | None = None
    noise_louder: float | None = None
    worms: float | None = None
    clipped_black: float = 0.0
    clipped_white: float = 0.0


@dataclass(frozen=True, eq=False)
class PatchFigures:
    """What one patch adds to the figures, as each module of `harms` measures it."""

    texture: texture.Texture
    edges: Edges | None
    darks: tones.Darks
    highlights: tuple[int, float]
    clipping: clipping.Clipped
    steps: float | None
    bands: float
    stars: stars.Stars
    louder: louder.Louder
    worms: worms.Worms


def measure_patch(pair: Pair, *, sigma: SigmaOfTone, gain: float, original: np.ndarray | None = None) -> PatchFigures:
    """Return what one patch adds to the figures.

    Parameters
    ----------
    pair : the patch in the light of the route and after it.
    sigma : luminance noise over tone in the first.
    gain : `texture.slope_gain` of its spectrum.
    original : the patch as it came, for what is newly clipped; by default the first of the pair.
    """
    before, after = pair
    return PatchFigures(
        texture=texture.measure_texture(pair, sigma, gain),
        edges=find_edges(before, after),
        darks=tones.measure_darks(before, after),
        highlights=tones.measure_highlights(before, after),
        clipping=clipping.measure_clipping(before if original is None else original, after, before, sigma),
        steps=gradients.measure_steps(after),
        bands=bands.measure_bands(pair),
        stars=stars.measure_stars(pair),
        louder=louder.measure_louder(pair),
        worms=worms.measure_worms(pair),
    )


def combine_figures(patches: Sequence[PatchFigures]) -> Figures:
    """Return the figures over patches."""
    shadow_shift, speck_shift, cast = tones.combine_darks([p.darks for p in patches]) or (None, None, None)
    black, white = clipping.combine_clipping([p.clipping for p in patches])
    kept, told = texture.combine_texture([p.texture for p in patches]) or (None, 1.0)
    return Figures(
        texture_kept=kept,
        texture_told=told,
        halo=edges.combine_halo([p.edges for p in patches if p.edges is not None]),
        shadow_shift=shadow_shift,
        speck_shift=speck_shift,
        cast=cast,
        highlight_shift=tones.combine_highlights([p.highlights for p in patches]),
        steps=gradients.combine_steps([p.steps for p in patches]),
        bands_drawn=bands.combine_bands([p.bands for p in patches]),
        stars_lost=stars.combine_stars([p.stars for p in patches]),
        noise_louder=louder.combine_louder([p.louder for p in patches]),
        worms=worms.combine_worms([p.worms for p in patches]),
        clipped_black=black,
        clipped_white=white,
    )


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
