"""Small networks whose layers take everything: where their weights are kept, and what they make of inputs."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import resources

import numpy as np

#: NAME0, NAME0_bias, NAME1 and so on for the layers of each network -> float32 values.
Weights = Mapping[str, np.ndarray]


def load_weights(package: str, file: str) -> Weights:
    """Return the weights that a file of a package holds."""
    with resources.files(package).joinpath(file).open("rb") as opened, np.load(opened) as stored:
        return {name: stored[name].astype(np.float32) for name in stored.files}


def run_layers(weights: Weights, name: str, inputs: np.ndarray) -> np.ndarray:
    """Return the last layer of a network, (..., outputs) from (..., inputs); between two, what is negative is 0."""
    layer = 0
    while f"{name}{layer}" in weights:
        inputs = np.maximum(inputs, 0) if layer else inputs
        inputs = inputs @ weights[f"{name}{layer}"] + weights[f"{name}{layer}_bias"]
        layer += 1
    return inputs
