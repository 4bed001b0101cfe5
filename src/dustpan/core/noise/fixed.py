"""The noise model stored in a remedy with fixed scaling."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from dustpan.core.document.remedy import Remedy
from dustpan.core.noise.model import NoiseModel


def fixed_noise(remedy: Remedy) -> NoiseModel | None:
    """Return the noise model to use instead of a measurement, or None where the noise is measured."""
    noise = remedy.made_on.get("noise")
    return NoiseModel.from_json(noise) if remedy.scaling == "fixed" and noise else None


def find_noise_faults(made_on: Mapping[str, Any]) -> list[str]:
    """Return what is wrong with the noise model of a remedy, one line each."""
    try:
        NoiseModel.from_json(made_on["noise"])
    except KeyError:
        return ["'made_on.noise' is needed for fixed scaling"]
    except (TypeError, ValueError) as fault:
        return [f"'made_on.noise': {fault}"]
    return []
