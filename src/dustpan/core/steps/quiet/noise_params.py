"""Settings of the noise step."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dustpan.core.document.forms import AREAS
from dustpan.core.document.params import Params, param
from dustpan.core.noise.model import TONES, NoiseModel
from dustpan.core.picture.region import Extent

FACTOR_TONES = np.array([0.0, 0.25, 0.5, 0.75, 1.0], np.float32)
_EVEN = (1.0, 1.0, 1.0, 1.0, 1.0)


def _factors(label: str, help: str, of: str):
    return param(label, _EVEN, help, low=0.0, high=2.0, step=0.05, length=5, widget="over_tone", of=of)


def _channel(label: str):
    help = f"Multiplies the noise assumed in {label.lower()}."
    return param(label, 1.0, help, low=0.0, high=2.0, step=0.05, narrow=True)


@dataclass(frozen=True)
class NoiseParams(Params):
    """Settings of the noise step."""

    auto: bool = param("Proposed from the picture", True, "Follow the measurement; touching a slider turns this off.")
    luminance: float = param(
        "Luminance",
        60.0,
        "Part of the measured brightness noise to take away. Higher is smoother.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    colour: float = param(
        "Colour",
        80.0,
        "Part of the measured colour noise to take away. Higher leaves fewer coloured specks.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    over_tone: tuple[float, ...] = _factors(
        "Luminance over tone",
        "Multiplies the luminance noise that is assumed, from darks (left) to lights (right).",
        "luminance",
    )
    colour_over_tone: tuple[float, ...] = _factors(
        "Colour over tone",
        "Multiplies the colour noise that is assumed, from darks (left) to lights (right).",
        "colour",
    )
    red: float = _channel("Red")
    green: float = _channel("Green")
    blue: float = _channel("Blue")
    blotch: float = param(
        "Blotch size",
        3.0,
        "How coarse the blotches may be that are cleaned too: 3 octaves are 8 px.",
        unit="octaves",
        low=0.0,
        high=5.0,
        step=1.0,
    )
    detail_return: float = param(
        "Detail return",
        20.0,
        "Gives back lines and weave that went with the noise, without the noise.",
        unit="%",
        low=0.0,
        high=100.0,
        step=1.0,
    )
    guided: bool = param(
        "Guided by surfaces",
        True,
        "Uses the albedo, normals and depth that a rendered picture brings along to tell its detail from its noise.",
        apart=True,
        only="features",
    )
    bare: tuple[Extent, ...] = param(
        "Bare places",
        (),
        "Places that you know to be empty: the noise is then measured there. Of this picture alone.",
        form=AREAS,
        widget="areas",
        apart=True,
        own=True,
    )
    engine: str = param(
        "Engine",
        "quick",
        "Quick follows a slider. Thorough takes longer and keeps a little more: a trained network corrects the result.",
        choices=("quick", "thorough"),
        apart=True,
        only="photograph",
    )


def weighted(model: NoiseModel, params: NoiseParams) -> NoiseModel:
    """Return the noise with the factors over tone and of the channels laid on it."""
    factors = [np.interp(TONES, FACTOR_TONES, values) for values in (params.over_tone, params.colour_over_tone)]
    return model.scaled(luminance=factors[0], colour=factors[1], channels=(params.red, params.green, params.blue))
