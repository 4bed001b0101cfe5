"""Kinds of harm that a route can do: one module for each measure, with its harms, their limits and words."""

from __future__ import annotations

from dustpan.core.judge.harms.bands import Bands
from dustpan.core.judge.harms.clipping import Clipping
from dustpan.core.judge.harms.edges import Halos
from dustpan.core.judge.harms.gradients import Gradients
from dustpan.core.judge.harms.harm import Figures, Harm, Measure, Pair, Patch, Side, SigmaOfTone, sides_of
from dustpan.core.judge.harms.louder import NoiseLouder
from dustpan.core.judge.harms.stars import StarsLost
from dustpan.core.judge.harms.texture import TextureKept
from dustpan.core.judge.harms.tones import Tones
from dustpan.core.judge.harms.worms import WormsDrawn

__all__ = ["HARMS", "MEASURES", "Figures", "Harm", "Measure", "Pair", "Patch", "Side", "SigmaOfTone", "sides_of"]

#: In the order in which their harms are listed.
MEASURES: tuple[Measure, ...] = (
    Halos(),
    TextureKept(),
    Tones(),
    Clipping(),
    Gradients(),
    Bands(),
    StarsLost(),
    NoiseLouder(),
    WormsDrawn(),
)
HARMS: tuple[Harm, ...] = tuple(harm for measure in MEASURES for harm in measure.harms)
