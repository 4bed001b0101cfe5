"""The inner pictures of the noise step: the noise assumed, noise drawn on grey, and the detail that comes back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from dustpan.core.filters.colour import from_opponent, tone_of, with_grey
from dustpan.core.noise.model import DISPLAY
from dustpan.core.noise.pattern import pattern
from dustpan.core.picture.region import Region
from dustpan.core.steps.context import Context
from dustpan.core.steps.quiet.noise_cleaning import NoiseAnalysis, clean_noise, structure_lost
from dustpan.core.steps.quiet.noise_params import NoiseParams
from dustpan.core.steps.step_kind import Inside

#: By name: see `show_noise`.
INSIDE = {
    "luminance": Inside("Assumed luminance noise", "luminance"),
    "colour": Inside("Assumed colour noise", "colour"),
    "drawn": Inside("Noise as measured, drawn on grey", fine=True),
    "returned": Inside("Detail that comes back", "detail_return", fine=True),
}
_SHOWN_STRONGER = (2.0, 8.0)  # how much stronger detail is shown than it is, for none and all of it coming back
_SHOWN_WHITE = 40.0  # display levels of noise that the inner pictures show as white


def show_noise(
    name: str, tile: np.ndarray, region: Region, params: NoiseParams, analysis: NoiseAnalysis | None, context: Context
) -> np.ndarray:
    """Return one of the inner pictures.

    The noise's deviation at each place is grey, white at 40 display levels. Noise of the measured strength and
    coarseness is drawn on middle grey, and so is detail, stronger than it is and faint where the slider is at 0.
    """
    field = analysis.field if analysis is not None else context.noise
    context = replace(context, noise=field)
    if name == "returned":
        return _show_returned(tile, region, params, analysis, context)
    sigma = context.coarse_sigma(tone_of(tile), region)
    if name == "drawn":
        return np.clip(0.5 + from_opponent(sigma * pattern(context.spectrum(), region)), 0, 1)
    plane = sigma[0] if name == "luminance" else np.sqrt((sigma[1] ** 2 + sigma[2] ** 2) / 2)
    return np.repeat(np.clip(plane * (DISPLAY / _SHOWN_WHITE), 0, 1)[..., None], 3, axis=2)


def _show_returned(
    tile: np.ndarray, region: Region, params: NoiseParams, analysis: NoiseAnalysis | None, context: Context
) -> np.ndarray:
    grey = np.full(tile.shape, 0.5, np.float32)
    if analysis is None or params.luminance <= 0:
        return grey
    cleaned = clean_noise(tile, region, params, analysis, context)
    found = structure_lost(tile, cleaned, region, params, context)
    weak, strong = _SHOWN_STRONGER
    return np.clip(with_grey(grey, found, weak + (strong - weak) * params.detail_return / 100), 0, 1)
