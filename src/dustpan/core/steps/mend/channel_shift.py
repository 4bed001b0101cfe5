"""Channel shift: red and blue that lie beside green, all over or more toward the corners, are brought back."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.colour import tone_of
from dustpan.core.filters.shift import SUPPORT, Shift, measure_shift, undo_shift
from dustpan.core.noise.survey import Survey
from dustpan.core.steps.context import Context
from dustpan.core.steps.finding import Finding
from dustpan.core.steps.step_kind import StepKind

_WORTH = 0.35  # px of displacement, over the picture, from which it is found
_SURE = 6.0  # times the error
_GREY = "grey"
_CROPS = 9  # that it is measured on


def _pixels(label: str, help: str) -> float:
    return param(label, 0.0, help, unit="px", low=-5.0, high=5.0, step=0.05)


@dataclass(frozen=True)
class ChannelShiftParams(Params):
    """Settings of the channel-shift step; where red and blue lie against green."""

    auto: bool = param("As measured", True, "Shift and scale follow from the picture's own edges.")
    red_x: float = _pixels("Red right", "How far red lies to the right of green.")
    red_y: float = _pixels("Red down", "How far red lies below green.")
    blue_x: float = _pixels("Blue right", "How far blue lies to the right of green.")
    blue_y: float = _pixels("Blue down", "How far blue lies below green.")
    red_scale: float = _pixels("Red outward", "How far red lies outside of green in the picture's corners.")
    blue_scale: float = _pixels("Blue outward", "How far blue lies outside of green in the picture's corners.")

    @property
    def shifts(self) -> dict[int, Shift]:
        """The displacement of red (0) and blue (2)."""
        return {0: Shift(self.red_x, self.red_y, self.red_scale), 2: Shift(self.blue_x, self.blue_y, self.blue_scale)}


class ChannelShift(StepKind):
    """Bring red and blue back over green."""

    kind = "channel_shift"
    stage = "Mend"
    order = 60
    label = "Channel shift"
    help = "Brings red and blue back over green, where edges are red on one side and blue on the other."
    params_type = ChannelShiftParams
    keeps_noise = True

    def support(self, params, analysis):
        """Return 16 px: the displacement and the pixels interpolated from."""
        return SUPPORT

    def measured(self, survey):
        """Return the displacement that was measured; none where it is not sure or too small to see."""
        found = _measure(survey)
        red, blue = (found[channel] or Shift() for channel in (0, 2))
        return ChannelShiftParams(
            red_x=red.x, red_y=red.y, red_scale=red.scale, blue_x=blue.x, blue_y=blue.y, blue_scale=blue.scale
        )

    def resolve(self, params, measured):
        """Return the measured displacement when `auto` is on."""
        return measured if params.auto else params

    def analyse(self, params, survey):
        """Return whether the picture is grey: it has nothing to bring back."""
        return _GREY if survey.source.grey else None

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with red and blue moved back; looks 16 px around."""
        moved = tile.copy()
        for channel, shift in params.shifts.items():
            if shift != Shift():
                plane = np.ascontiguousarray(tile[..., channel])
                moved[..., channel] = undo_shift(plane, shift, region, context.size)
        return moved

    def scaled(self, params, level):
        """Return the displacements of the reduced picture."""
        part = 0.5**level
        values = {name: part * getattr(params, name) for name in params.described() if name != "auto"}
        return replace(params, **values)

    def idle(self, params):
        """Return whether nothing is moved, or will not be known before it is measured."""
        return not params.auto and all(shift == Shift() for shift in params.shifts.values())

    def found_nothing(self, params, analysis):
        """Return whether red and blue lie over green, or the picture is grey."""
        return analysis == _GREY or all(shift == Shift() for shift in params.shifts.values())

    def propose(self, survey):
        """Propose the step, on automatic, where a displacement is found."""
        return ChannelShiftParams() if any(_measure(survey).values()) else None

    def findings(self, survey):
        """Return the displacement of red and blue."""
        found = {channel: shift for channel, shift in _measure(survey).items() if shift}
        if not found:
            return []
        names = " and ".join({0: "red", 2: "blue"}[channel] for channel in found)
        size = max(shift.size for shift in found.values())
        text = f"{names} shifted by {size:.1f} px"
        return [Finding("channel_shift", text, size, self.kind)]

    def tell(self, params, analysis, found=None):
        """Return how far the channel that was moved most has come back."""
        size = max(shift.size for shift in params.shifts.values())
        return f"{size:.1f} px" if size else "none found" if params.auto else "0 px"


def _measure(survey: Survey) -> dict[int, Shift | None]:
    """Return the displacement of red and blue where it is found, in steps of 0.01 px; measured once."""
    return survey.looks.once("channel shift", lambda: _look_for(survey))


def _look_for(survey: Survey) -> dict[int, Shift | None]:
    if survey.mosaic is not None or survey.source.grey:
        return {0: None, 2: None}
    detail = [float(cv2.Laplacian(tone_of(crop), cv2.CV_32F).std()) for crop in survey.crops]
    best = sorted(np.argsort(detail)[::-1][:_CROPS].tolist())
    crops, regions = [survey.crops[n] for n in best], [survey.looks.crop_regions[n] for n in best]
    found = survey.looks.spread(lambda channel: _sure(*measure_shift(crops, regions, survey.size, channel)), (0, 2))
    return dict(zip((0, 2), found, strict=True))


def _sure(shift: Shift, error: float) -> Shift | None:
    if shift.size < max(_WORTH, _SURE * error):
        return None
    return Shift(*(round(value, 2) for value in (shift.x, shift.y, shift.scale)))


KIND = ChannelShift()
