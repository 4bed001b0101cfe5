"""Development of a sensor's mosaic: interpolation, white balance, the camera's colours, highlights."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.params import Params, param
from dustpan.core.filters.mosaic import FAST_SUPPORT, FINE_SUPPORT, demosaic_fast, demosaic_fine
from dustpan.core.filters.white_balance import multipliers_for, multipliers_from
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Mosaic
from dustpan.core.steps.context import Context
from dustpan.core.steps.step_kind import StepKind

_FLOOR = 27.0  # deviations of the noise in the dark: light under which colours are compared by their difference
_PERIODS = 8  # of the pattern that are averaged, along both sides, for the automatic white balance


@dataclass(frozen=True)
class DevelopParams(Params):
    """Settings of the develop step."""

    white_balance: str = param(
        "White balance",
        "as_shot",
        "As the camera set it, found from the picture, or by temperature and tint.",
        choices=("as_shot", "auto", "custom"),
    )
    temperature: float = param(
        "Temperature",
        5500.0,
        "Of the light, for a custom white balance; higher makes the picture warmer.",
        unit="K",
        low=2000.0,
        high=20000.0,
        step=50.0,
    )
    tint: float = param(
        "Tint", 0.0, "For a custom white balance: less is greener, more is more magenta.", low=-1.0, high=1.0, step=0.01
    )
    demosaic: str = param(
        "Interpolation", "fine", "Fine follows edges; fast is for looking quickly.", choices=("fine", "fast")
    )
    highlights: str = param(
        "Highlights",
        "clip",
        "Cut off at white, or rebuilt from the colours that are not clipped.",
        choices=("clip", "rebuild"),
    )


@dataclass(frozen=True, eq=False)
class Development:
    """What a picture's development needs: multipliers of red, green, blue (the least is 1), and the noise's floor."""

    multipliers: np.ndarray
    floor: float


class Develop(StepKind):
    """Turn the mosaic of a sensor into a picture."""

    kind = "develop"
    stage = "Tone"
    order = 10
    label = "Develop"
    help = "Makes a picture of the sensor's mosaic: interpolation, white balance, the camera's colours, highlights."
    params_type = DevelopParams
    develops = True

    def support(self, params, analysis):
        """Return 24 px, or 8 for the fast interpolation."""
        return FINE_SUPPORT if params.demosaic == "fine" else FAST_SUPPORT

    def analyse(self, params, survey):
        """Return the multipliers of the white balance and the floor under which ratios are not trusted."""
        mosaic = survey.mosaic
        if params.white_balance == "auto":
            found = multipliers_from(np.concatenate([_mean_colours(crop, mosaic) for crop in survey.crops]))
        elif params.white_balance == "custom":
            found = multipliers_for(params.temperature, params.tint, mosaic.xyz_to_camera)
        else:
            found = np.asarray(mosaic.as_shot, float)
        multipliers = (found / found.min()).astype(np.float32)
        dark = float(survey.base_noise.sigma[0, 0, 0]) * float(multipliers.mean())
        return Development(multipliers, float(np.clip(_FLOOR * dark, 0.003, 0.3)))

    def apply(self, tile, region, params, analysis, context: Context):
        """Return h x w x 3 working pixels of an h x w x 1 mosaic (0 black, 1 where the sensor clips)."""
        mosaic = context.mosaic
        assert mosaic is not None
        colours = mosaic.colours(region)
        gains = analysis.multipliers
        balanced = tile[..., 0] * gains[colours]
        if params.demosaic == "fine":
            light = demosaic_fine(balanced, colours, floor=analysis.floor)
        else:
            light = demosaic_fast(balanced, colours)
        light = np.minimum(light, 1) if params.highlights == "clip" else _rebuilt(light, gains)
        return encode_curve(light @ mosaic.to_display.T)

    def propose(self, survey):
        """Propose what the camera set; only a mosaic needs the step."""
        return DevelopParams() if survey.mosaic is not None else None

    def tell(self, params, analysis, found=None):
        """Return the white balance."""
        if params.white_balance == "custom":
            return f"{params.temperature:.0f} K"
        return {"as_shot": "as the camera set it", "auto": "balanced"}[params.white_balance]


def _mean_colours(crop: np.ndarray, mosaic: Mosaic) -> np.ndarray:
    """Return (n, 3) mean camera colours over whole periods of the pattern; the crop starts at any place."""
    side = _PERIODS * mosaic.period
    rows, columns = crop.shape[0] // side, crop.shape[1] // side
    colours = mosaic.colours((0, 0, columns * side, rows * side))
    cut = crop[: rows * side, : columns * side, 0]
    means = []
    for n in range(3):
        known = (colours == n).astype(np.float32)
        sums = (cut * known).reshape(rows, side, columns, side).sum(axis=(1, 3))
        means.append((sums / known.reshape(rows, side, columns, side).sum(axis=(1, 3))).ravel())
    return np.stack(means, axis=1)


def _rebuilt(light: np.ndarray, gains: np.ndarray) -> np.ndarray:
    """Return light whose clipped channels follow the ones that are not: at least as bright as their mean.

    Parameters
    ----------
    light : h x w x 3, balanced; a channel clips at its own multiplier.
    gains : (3,) the multipliers.
    """
    clipped = np.asarray(light >= gains * np.float32(0.99))
    sound = np.where(clipped, 0, light).sum(axis=2) / np.maximum((~clipped).sum(axis=2), 1)
    lifted = np.where(clipped, np.maximum(light, sound[..., None]), light)
    return np.where(clipped.all(axis=2, keepdims=True), gains.max(), lifted).astype(np.float32)


KIND = Develop()
