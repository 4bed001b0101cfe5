"""Compression blocks: taken out with their ringing and colour blots, within what the file's rounding allows."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.compression import (
    Crop,
    Tables,
    find_colour_corner,
    find_tables,
    halve_crop,
    rounding_errors,
    split_luma,
)
from dustpan.core.filters.deblock import SUPPORT, Rounding, deblock_tile
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.survey import Survey
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import StepKind

_SEEN = 10.0  # mean step of the lowest frequencies, in display values, from which blocks show


@dataclass(frozen=True)
class BlocksParams(Params):
    """Settings of the step against compression blocks."""

    strength: float = param(
        "Strength",
        1.0,
        "Part of the change that the file's own rounding allows; nothing that it kept for certain is lost.",
        low=0.0,
        high=1.0,
        step=0.05,
    )
    ringing: float = param(
        "Ringing",
        0.5,
        "How much harder places with edges are cleaned, where compression leaves echoes, than calm ones.",
        low=0.0,
        high=1.0,
        step=0.05,
    )


@dataclass(frozen=True, eq=False)
class BlocksAnalysis:
    """What the step knows of the whole picture.

    Attributes
    ----------
    rounding : what is taken out.
    size : deviation of the error that compression has left in brightness, in display values.
    """

    rounding: Rounding
    size: float


class CompressionBlocks(StepKind):
    """Take out compression blocks, ringing and colour blots."""

    kind = "blocks"
    stage = "Mend"
    order = 50
    label = "Blocks"
    help = "Takes out the 8 x 8 blocks, echoes and colour blots of strong compression; other pictures are left alone."
    params_type = BlocksParams

    def support(self, params, analysis):
        """Return 56 px, or none without blocks."""
        return SUPPORT if analysis is not None else 0

    def measured(self, survey):
        """Return the settings that are always proposed: the file's rounding is their unit."""
        return BlocksParams()

    def analyse(self, params, survey):
        """Return how the picture was rounded, or None when it was not."""
        tables = _tables_of(survey)
        return None if tables is None else _analysis(survey, tables)

    def apply(self, tile, region, params, analysis, context):
        """Return the tile without what compression has added; looks 56 px around."""
        cleaned = deblock_tile(tile, region, analysis.rounding, ringing=params.ringing, check=context.check)
        return tile + np.float32(params.strength) * (cleaned - tile)

    def scaled(self, params, level):
        """Leave the step out of drafts, in which blocks are averaged away."""
        return None

    def idle(self, params):
        """Return whether nothing is to be taken out."""
        return params.strength == 0

    def found_nothing(self, params, analysis):
        """Return whether the picture was not compressed."""
        return analysis is None

    def propose(self, survey):
        """Propose the step where blocks show."""
        return BlocksParams() if _shows(_tables_of(survey)) else None

    def findings(self, survey):
        """Return the blocks, with how far they are off."""
        tables = _tables_of(survey)
        if tables is None or not _shows(tables):
            return []
        size = _analysis(survey, tables).size
        text = f"compression blocks, {max(size, 1):.0f} levels off"
        more = (
            ""
            if survey.source.compression is not None
            else "the picture was compressed before it was saved as this file"
        )
        return [Finding("blocks", text, size, self.kind, more=more)]

    def tell(self, params, analysis, found=None):
        """Return how far the picture is off by its compression."""
        return "none found" if analysis is None else f"{analysis.size:.0f} levels off"


def _tables_of(survey: Survey) -> Tables | None:
    """Return the file's own tables, or those of an earlier compression that was coarser; found once for a picture."""
    return survey.looks.once("compression tables", lambda: _find_tables(survey))


def _find_tables(survey: Survey) -> Tables | None:
    own = None
    if survey.source.compression is not None:
        kept = survey.source.compression
        own = Tables(kept.luminance, kept.chroma, kept.corner, from_file=True)
    earlier = find_tables(_planes(survey, 0)) if survey.mosaic is None else None
    if earlier is None or (own is not None and own.coarseness >= earlier.coarseness):
        return own
    return earlier


def _shows(tables: Tables | None) -> bool:
    return tables is not None and tables.coarseness >= _SEEN


def _planes(survey: Survey, channel: int) -> list[Crop]:
    regions = survey.looks.crop_regions
    return [(split_luma(crop)[channel], region[:2]) for crop, region in zip(survey.crops, regions, strict=True)]


def _analysis(survey: Survey, tables: Tables) -> BlocksAnalysis:
    """Return how the picture was rounded; measured once."""
    return survey.looks.once("rounding", lambda: _measure_rounding(survey, tables))


def _measure_rounding(survey: Survey, tables: Tables) -> BlocksAnalysis:
    halved = survey.source.compression is None or survey.source.compression.halved
    luminance = rounding_errors(_planes(survey, 0), tables.luminance, tables.corner)
    colours = [_planes(survey, channel) for channel in (1, 2)]
    colour = any(np.ptp(plane) > 0.5 / DISPLAY for planes in colours for plane, _ in planes)
    corner, counted = tables.corner, tables.corner
    if halved:
        if not tables.from_file:
            corner = find_colour_corner([crop for planes in colours for crop in planes], corner)
        colours = [[halve_crop(crop, corner) for crop in planes] for planes in colours]
        counted = (0, 0)
    errors = partial(rounding_errors, table=tables.chroma, corner=counted)
    chroma = np.sqrt(np.mean([errors(planes) ** 2 for planes in colours], axis=0))
    rounding = Rounding(
        steps=(tables.luminance / np.float32(DISPLAY), tables.chroma / np.float32(DISPLAY)),
        errors=(luminance / np.float32(DISPLAY), (chroma / DISPLAY).astype(np.float32)),
        corner=corner,
        halved=halved,
        colour=colour,
    )
    return BlocksAnalysis(rounding, float(np.sqrt((luminance**2).mean())))


KIND = CompressionBlocks()
