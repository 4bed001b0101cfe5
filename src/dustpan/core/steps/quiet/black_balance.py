"""Black balance: darks that have taken on a colour, by noise that was cut off or by stray light, made neutral."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.black_balance import balance, find_tint
from dustpan.core.filters.colour import tone_of
from dustpan.core.noise.model import DISPLAY
from dustpan.core.picture.region import extent_of
from dustpan.core.steps.context import Context
from dustpan.core.steps.step_kind import Inside, StepKind

_CALM, _LOOKS = 1.6, 5  # px, deviation and reach of the blur that keeps noise out of the tint
_SHOWN = 8.0  # times a tint is made stronger for its inner picture


@dataclass(frozen=True)
class BlackBalanceParams(Params):
    """Settings of the black balance step."""

    strength: float = param("Strength", 0.5, "How much of the tint of darks is taken.", low=0.0, high=1.0, step=0.05)
    reach: float = param(
        "Reach", 12.0, "Tone up to which a pixel counts as dark.", unit="%", low=0.0, high=50.0, step=1.0
    )


class BlackBalance(StepKind):
    """Take the tint from the darks, place by place; what is lighter stays as it is."""

    kind = "black_balance"
    stage = "Quiet"
    order = 30
    label = "Black balance"
    help = "Makes tinted darks neutral, place by place, and leaves what is lighter as it is."
    params_type = BlackBalanceParams
    keeps_noise = True  # a tint changes slowly over place and tone
    inside: ClassVar = {"tint": Inside("Tint of the darks", "strength")}

    def support(self, params, analysis):
        """Return the reach of the blur that keeps noise out of the tint."""
        return _LOOKS

    def analyse(self, params, survey):
        """Return the tint of the darks over tone and place, or None."""
        return find_tint(survey.overview, params.reach / 100) if params.reach > 0 else None

    def found_nothing(self, params, analysis):
        """Return whether no darks were found."""
        return analysis is None

    def apply(self, tile, region, params, analysis, context: Context):
        """Return the tile with neutral darks; looks 5 px around."""
        return balance(tile, _tint(tile, region, analysis, context), params.strength)

    def apply_even(self, field, params, analysis, context):
        """Return the field as it is: a tint belongs to a place."""
        return field

    def show_inside(self, name, tile, region, params, analysis, context):
        """Return the tint that is found, eight times as strong, on mid grey."""
        if analysis is None:
            return np.full_like(tile, 0.5)
        return np.clip(0.5 + np.float32(_SHOWN) * _tint(tile, region, analysis, context), 0, 1)

    def idle(self, params):
        """Return whether nothing is changed."""
        return params.strength <= 0 or params.reach <= 0

    def tell(self, params, analysis, found=None):
        """Return the strongest tint in display levels, or that there are no darks."""
        if analysis is None:
            return "no darks"
        spread = np.abs(analysis.planes).max(axis=(2, 3)) * DISPLAY
        return f"up to {np.percentile(spread, 95):.1f} levels of tint"


def _tint(tile, region, analysis, context: Context) -> np.ndarray:
    tone = tone_of(tile)
    side = 2 * _LOOKS + 1
    calm = cv2.GaussianBlur(tone, (side, side), _CALM, borderType=cv2.BORDER_REFLECT)
    return analysis.at(tone, calm, extent_of(region, context.size))


KIND = BlackBalance()
