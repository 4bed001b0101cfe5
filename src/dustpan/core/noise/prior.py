"""Predict noise with a network that was trained on simulated cameras, files and processing.

In a picture full of texture no block contains noise alone. A small network was fitted by `training/` to statistics of
several thousand such pictures (`statistics`) and the noise that was added to them. It predicts the power of each
coefficient by plane and pyramid level, the deviation over tone, the correlation of the planes, and its own error.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib import resources
from typing import NamedTuple

import numpy as np

from dustpan.core.noise.model import DISPLAY, PAIRS, TONES
from dustpan.core.noise.statistics import unit_of

TARGET_FLOOR = (0.25 / DISPLAY) ** 2  # power added to the prediction: noise far below a level does not matter
LEVELS = 3  # pyramid levels that are predicted
LIMIT = 6.0  # deviations from the mean at which a number of a description is held
COEFFICIENTS = LEVELS * 3 * 63  # of the targets, which come first
CORRELATIONS = LEVELS * len(PAIRS)  # of the targets, which come last; between them is the power over tone
_MOST_CORRELATED = 0.98
_FILE = "prior.npz"

#: w0, w0_bias, w1 and so on for the layers of a network, and what scales its inputs and outputs.
_Weights = Mapping[str, np.ndarray]


class Prediction(NamedTuple):
    """The noise that the network predicts.

    Attributes
    ----------
    power : (3, 3, 8, 8), of each coefficient at each level and plane; the first of each 8 x 8 is 0.
    over_tone : (3, 17), power of each plane at each of `TONES`, relative to its mean.
    correlation : (3, 3), of the planes at each level, for `PAIRS`.
    doubt : (2, 2), relative error of the deviations that nine of ten stay within. First axis: mean, shape over tone;
        second: luminance, colour.
    """

    power: np.ndarray
    over_tone: np.ndarray
    correlation: np.ndarray
    doubt: np.ndarray


def predict_noise(description: np.ndarray) -> Prediction:
    """Return the prediction for the statistics of a picture, as `statistics.describe` gives them."""
    weights = _weights()
    inputs = np.clip((description - weights["centre"]) / weights["spread"], -LIMIT, LIMIT)
    targets = _run_layers(weights, "w", inputs) @ weights["basis"] + weights["mean"]
    return prediction_of(targets, unit_of(description), np.exp(_run_layers(weights, "d", inputs)).reshape(2, 2))


def prediction_of(targets: np.ndarray, unit: float = 0.0, doubt: np.ndarray | None = None) -> Prediction:
    """Return the prediction that training targets stand for.

    Parameters
    ----------
    targets : logarithms of the powers, relative to a unit, and of the power at each tone relative to the mean;
        correlations.
    unit : logarithm.
    doubt : (2, 2), none if left out.
    """
    logs = targets[:COEFFICIENTS].reshape(LEVELS, 3, 63) + unit
    power = np.zeros((LEVELS, 3, 64))
    power[:, :, 1:] = np.maximum(np.exp(logs) - TARGET_FLOOR, 0)
    over_tone = np.exp(targets[COEFFICIENTS:-CORRELATIONS].reshape(3, len(TONES)))
    correlation = np.clip(targets[-CORRELATIONS:], -_MOST_CORRELATED, _MOST_CORRELATED).reshape(LEVELS, len(PAIRS))
    return Prediction(
        power.reshape(LEVELS, 3, 8, 8), over_tone, correlation, np.zeros((2, 2)) if doubt is None else doubt
    )


def _run_layers(weights: _Weights, name: str, inputs: np.ndarray) -> np.ndarray:
    """Return the last layer of a network, (..., outputs) from (..., inputs); between two, what is negative is 0."""
    layer = 0
    while f"{name}{layer}" in weights:
        inputs = np.maximum(inputs, 0) if layer else inputs
        inputs = inputs @ weights[f"{name}{layer}"] + weights[f"{name}{layer}_bias"]
        layer += 1
    return inputs


@cache
def _weights() -> _Weights:
    with resources.files(__package__).joinpath(_FILE).open("rb") as opened, np.load(opened) as stored:
        return {name: stored[name].astype(np.float32) for name in stored.files}
