"""Hot and dead pixels: found by their shape and the local noise, filled from their neighbours."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import cv2
import numpy as np

from dustpan.core.document.forms import POINTS
from dustpan.core.document.params import Params, param
from dustpan.core.filters import specks
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.mosaic_specks import mend_mosaic
from dustpan.core.filters.speck_shapes import leaning
from dustpan.core.filters.specks import BRIGHT, DARK, SUPPORT, count_specks
from dustpan.core.noise.fields import ModelField
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.region import Region, Size, margins_of, mirrored
from dustpan.core.picture.source import Mosaic
from dustpan.core.steps.context import Context, repeat_points, smooth_points
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.marks import show_marks
from dustpan.core.steps.step_kind import Inside, StepKind

_POLARITY = {"bright": BRIGHT, "dark": DARK, "both": BRIGHT + DARK}
_WORTH_MENDING = 25.0  # specks in a megapixel of a mosaic from which the step is proposed
_DOTS = 100.0  # the same of a drawing, whose dots and holes of letters are found too
_BEYOND_DOUBT = 5.0  # logarithm of the odds of a speck; sound pictures hold at most three such peaks
_FEW_BEYOND_DOUBT = 3.0, 6.0  # specks beyond doubt, in all and in a megapixel, that are not worth a word
_OF_KNOWN = 3.0  # sensitivity for pixels that are known to the camera
_BY_HAND = 5  # px, side of the square round a place that is spared
_LEAST_SIGMA = np.float32(2.5 / 255)  # in a picture without noise, specks of up to 15 levels are lint and glints


@dataclass(frozen=True)
class HotPixelParams(Params):
    """Settings of the hot-pixel step."""

    sensitivity: float = param(
        "Stands out by",
        6.0,
        "How far a pixel must stand out from its surroundings, in units of the noise; smaller finds more.",
        unit="sigma",
        low=2.0,
        high=20.0,
        step=0.5,
    )
    max_size: int = param(
        "Largest size",
        3,
        "Side of the largest cluster that is mended; a single hot pixel is 3 px wide once its mosaic is interpolated.",
        unit="px",
        low=1,
        high=9,
        step=1,
    )
    polarity: str = param(
        "Look for", "bright", "Pixels that are too bright, too dark, or both.", choices=tuple(_POLARITY)
    )
    coloured: bool = param("Specks of one colour", True, "Also take specks that stand out in one colour alone.")
    spare_stars: bool = param(
        "Spare stars and glints", True, "Keep points of light that spread into their neighbours as through a lens."
    )
    known: bool = param(
        "Known to the camera", True, "Also mend those that were learned from this camera's dark frames.", apart=True
    )
    spared: tuple[tuple[float, float], ...] = param(
        "Spared", (), "Places that are left alone: click a mark on the picture.", form=POINTS, widget="places"
    )
    added: tuple[tuple[float, float], ...] = param(
        "Added", (), "Places that are mended too: click them with the other button.", form=POINTS, widget="places"
    )


@dataclass(frozen=True)
class SpeckAnalysis:
    """What the step knows of the whole picture.

    Attributes
    ----------
    count : about how many specks it has.
    beyond_doubt : about how many of them are so likely that no texture looks like it.
    leaning : what is added to the odds of its peaks, see `speck_shapes.leaning`.
    """

    count: float
    leaning: float = 0.0
    beyond_doubt: float = 0.0


class HotPixels(StepKind):
    """Mend single pixels and small clusters that no lens could have drawn."""

    kind = "hot_pixels"
    stage = "Mend"
    order = 10
    label = "Hot pixels"
    help = "Mends single pixels that are too bright or dead; stars, glints and printed dots are kept."
    params_type = HotPixelParams
    keeps_noise = True
    takes_mosaic = True
    marks = True
    inside: ClassVar = {"found": Inside("Pixels found", "sensitivity", fine=True)}

    def support(self, params, analysis):
        """Return 32 px: specks, and the peaks around that they are judged beside."""
        return SUPPORT

    def measured(self, survey):
        """Return the settings that are always proposed: the noise itself is their unit."""
        return HotPixelParams()

    def analyse(self, params, survey):
        """Return about how many specks the picture has, counted on the survey's crops, and its channels' noise."""
        context = Context(ModelField(survey.base_noise), survey.size, mosaic=survey.mosaic)
        crops = list(zip(survey.crops, survey.looks.crop_regions, strict=True))
        if survey.mosaic is not None:
            marks = [self.mark(crop, region, params, None, context) for crop, region in crops]
            return SpeckAnalysis(_of_whole(marks, survey.size))

        def judge(crop: tuple[np.ndarray, Region]) -> tuple[np.ndarray, specks.JudgedPeaks]:
            sigma = _channel_sigma(*crop, context)
            return sigma, specks.judge_peaks(crop[0], sigma=sigma, **_asked(params))

        judged = survey.looks.spread(judge, crops)
        odds = np.concatenate([peaks.odds for _, peaks in judged]) if judged else np.zeros(0, np.float32)
        lean, clear = leaning(odds), float((odds > _BEYOND_DOUBT).sum())
        marks = []
        for (crop, region), (sigma, peaks) in zip(crops, judged, strict=True):
            found = peaks.chosen(params.sensitivity, lean).marks(crop.shape[:2])
            kept, more = _by_hand(region, found.shape, params, context)
            marks.append(((found | _others(crop, region, sigma, params, context)) & ~kept) | more)
        looked_at = sum(crop.shape[0] * crop.shape[1] for crop, _ in crops)
        beyond_doubt = clear * survey.size[0] * survey.size[1] / max(looked_at, 1)
        return SpeckAnalysis(_of_whole(marks, survey.size), lean, beyond_doubt)

    def mark(self, tile, region, params, analysis, context: Context) -> np.ndarray:
        """Return the marks (h x w bool) of the specks in a tile; looks 32 px around."""
        tile, region, inner = _beyond_the_rim(tile, region, context)
        if context.mosaic is not None:
            return _mosaic(tile, region, params, context)[0][inner]
        sigma = _channel_sigma(tile, region, context)
        kept, more = _by_hand(region, tile.shape[:2], params, context)
        others = _others(tile, region, sigma, params, context)
        found = _specks(tile, region, sigma, params, analysis, context)
        return (((found.marks(tile.shape[:2]) | others) & ~kept) | more)[inner]

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with its specks filled; looks 32 px around."""
        tile, region, inner = _beyond_the_rim(tile, region, context)
        if context.mosaic is not None:
            return _mosaic(tile, region, params, context)[1][inner][..., None]
        sigma = _channel_sigma(tile, region, context)
        kept, more = _by_hand(region, tile.shape[:2], params, context)
        found = _specks(tile, region, sigma, params, analysis, context).without(kept | more)
        mended = specks.take_specks(tile, found, size=params.max_size)
        others = (_others(tile, region, sigma, params, context) & ~kept) | more
        return specks.fill_specks(mended, others, sigma=sigma, size=params.max_size)[inner]

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return white where a speck was found, grown to 3 px, on a dim picture."""
        marks = self.mark(tile, region, params, analysis, context)
        return show_marks(marks, tile[..., 0] if context.mosaic is not None else tone_of(tile))

    def scaled(self, params, level):
        """Leave the step out of drafts: reduced pictures hold no single pixels."""
        return None

    def propose(self, survey):
        """Propose the step where hot pixels are found; a renderer leaves fireflies instead."""
        return HotPixelParams() if not survey.source.rendered and self._has_specks(survey) else None

    def findings(self, survey):
        """Return the hot pixels of the whole picture, when they are more than a few."""
        if survey.source.rendered or not self._has_specks(survey):
            return []  # what is less clear may well be the picture's own
        points = survey.looks.find_points(self.kind, HotPixelParams())
        return [Finding("hot_pixels", f"{len(points)} hot pixels", float(len(points)), self.kind, points)]

    def _has_specks(self, survey: Survey) -> bool:
        """Return whether the picture has more specks than texture, noise and drawings may be taken for."""
        found = survey.looks.once("specks", lambda: self.analyse(HotPixelParams(), survey))
        if survey.base_noise.luminance == 0 or survey.mosaic is not None:
            worth = _DOTS if survey.mosaic is None else _WORTH_MENDING
            return found.count > max(worth * survey.megapixels, 2)
        few, in_a_megapixel = _FEW_BEYOND_DOUBT
        return found.beyond_doubt > max(few, in_a_megapixel * survey.megapixels)

    def tell(self, params, analysis, found=None):
        """Return how many are mended; about how many while they are not counted."""
        if found is not None:
            return f"{found} mended" if found else "none found"
        return f"about {_rounded(analysis.count)} mended" if analysis.count >= 1 else "none found"

    def ease(self, params, harm, noise):
        """Spare stars, then find less, where the darks lost their points of light."""
        if harm not in ("darker_shadows", "stars_lost"):
            return None
        if harm == "stars_lost" and not params.spare_stars:
            return replace(params, spare_stars=True)
        if params.sensitivity >= 18:
            return params
        return replace(params, sensitivity=min(params.sensitivity * 1.5, 20.0))


def _beyond_the_rim(
    tile: np.ndarray, region: Region, context: Context
) -> tuple[np.ndarray, Region, tuple[slice, slice]]:
    """Return a tile continued by its mirror image where the picture ends, its region, and where the tile lies in it.

    What looks at the surroundings of each pixel leaves out a rim; this one does not belong to the picture.
    """
    left, top, right, bottom = (specks.RIM * end for end in context.ends(region))
    wide = cv2.copyMakeBorder(tile, top, bottom, left, right, cv2.BORDER_REFLECT_101).reshape(
        tile.shape[0] + top + bottom, tile.shape[1] + left + right, tile.shape[2]
    )
    x0, y0, x1, y1 = region
    inner = np.s_[top : top + tile.shape[0], left : left + tile.shape[1]]
    return wide, (x0 - left, y0 - top, x1 + right, y1 + bottom), inner


def _by_hand(
    region: Region, shape: tuple[int, int], params: HotPixelParams, context: Context
) -> tuple[np.ndarray, np.ndarray]:
    """Return (h, w) where specks are spared by hand, and where one is added."""
    spared, more = np.zeros(shape, np.uint8), np.zeros(shape, np.uint8)
    for places, plane in ((params.spared, spared), (params.added, more)):
        for x, y in places:
            _put(plane, int(x * context.size[0]) - region[0], int(y * context.size[1]) - region[1])
    kept = cv2.dilate(spared, np.ones((_BY_HAND, _BY_HAND), np.uint8)) > 0
    return kept, (more > 0) & ~kept


def _known(region: Region, shape: tuple[int, int], params: HotPixelParams, context: Context) -> np.ndarray | None:
    """Return (h, w) where the camera is known to have bad pixels, or None when none are known."""
    if not params.known or context.known is None:
        return None
    plane = np.zeros(shape, np.uint8)
    for x, y in context.known:
        _put(plane, x - region[0], y - region[1])
    return plane > 0


def _put(plane: np.ndarray, column: int, row: int) -> None:
    """Mark a pixel of a plane, where it has it."""
    if 0 <= row < plane.shape[0] and 0 <= column < plane.shape[1]:
        plane[row, column] = 1


def _mosaic(tile, region, params: HotPixelParams, context: Context) -> tuple[np.ndarray, np.ndarray]:
    """Return marks and filled sites of a tile of a sensor's mosaic."""
    plane = tile[..., 0]
    tone = encode_curve(np.clip(cv2.medianBlur(np.ascontiguousarray(plane), 5), 0, 1))
    assert context.mosaic is not None
    kept, more = _by_hand(region, plane.shape, params, context)
    mend = partial(
        mend_mosaic,
        plane,
        _colours(context.mosaic, region, context.size),
        sigma=context.sigma(tone, region)[0],
        polarity=_POLARITY[params.polarity],
    )
    known = _known(region, plane.shape, params, context)
    if known is not None:
        more |= known & ~kept & mend(sensitivity=_OF_KNOWN, spare_stars=False)[0]
    return mend(sensitivity=params.sensitivity, spare_stars=params.spare_stars, kept=kept, more=more)


def _colours(mosaic: Mosaic, region: Region, size: Size) -> np.ndarray:
    """Return the colour of each site of a region, mirrored where the picture ends, as its pixels are."""
    x0, y0, x1, y1 = region
    width, height = size
    rows, columns = mirrored(y0, y1, height), mirrored(x0, x1, width)
    inside = max(x0, 0), max(y0, 0), min(x1, width), min(y1, height)
    return np.ascontiguousarray(mosaic.colours(inside)[rows - inside[1]][:, columns - inside[0]])


def _specks(
    tile: np.ndarray,
    region: Region,
    sigma: np.ndarray,
    params: HotPixelParams,
    analysis: SpeckAnalysis | None,
    context: Context,
) -> specks.Specks:
    """Return single pixels and small clusters."""
    lean = analysis.leaning if analysis is not None else 0.0
    margins = margins_of(region, SUPPORT, context.size)
    peaks = specks.judge_peaks(tile, sigma=sigma, leaning=lean, margins=margins, **_asked(params))
    return peaks.chosen(params.sensitivity, lean)


def _of_whole(marks: Sequence[np.ndarray], size: Size) -> float:
    """Return about how many specks a picture has, from the marks of some of its crops."""
    looked = sum(plane.size for plane in marks)
    return sum(count_specks(plane) for plane in marks) * size[0] * size[1] / max(looked, 1)


def _others(
    tile: np.ndarray, region: Region, sigma: np.ndarray, params: HotPixelParams, context: Context
) -> np.ndarray:
    """Return marks of what else is asked for.

    Clusters past 3 px, points of light that are not to be spared, and what is known to the camera and shows at all.
    """
    find = partial(specks.find_by_ring, tile, sigma=sigma)
    asked = _asked(params)
    marks = np.zeros(tile.shape[:2], np.bool_)
    if not params.spare_stars or params.max_size > specks.LARGE:
        marks |= find(spare_stars=params.spare_stars, **asked)
    known = _known(region, tile.shape[:2], params, context)
    if known is not None:
        marks |= known & find(spare_stars=False, **asked | {"sensitivity": _OF_KNOWN})
    return marks


def _asked(params: HotPixelParams) -> dict[str, Any]:
    polarity = _POLARITY[params.polarity]
    return {"sensitivity": params.sensitivity, "polarity": polarity, "coloured": params.coloured}


def _channel_sigma(tile: np.ndarray, region, context: Context) -> np.ndarray:
    """Return 3 x H x W deviations of red, green and blue at each place's own tone (specks smoothed out of it)."""
    channels = context.channel_sigma(smooth_points(np.minimum(tone_of(tile), 1)), region)
    return repeat_points(np.maximum(channels, _LEAST_SIGMA), tile.shape[:2])


def _rounded(count: float) -> int:
    """Return an estimate with two figures: more would look counted."""
    step = 10 ** max(int(np.log10(max(count, 1))) - 1, 0)
    return round(count / step) * step


KIND = HotPixels()
