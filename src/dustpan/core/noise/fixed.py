"""The noise model stored in a remedy with fixed scaling, and remedies between two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from dustpan.core.document.between import nearest_remedy, remedies_around, route_between, stops_apart
from dustpan.core.document.remedy import Remedy
from dustpan.core.noise.model import NoiseModel, geometric_mean


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


def remedy_between(low: Remedy, high: Remedy, iso: int) -> Remedy:
    """Return a remedy for an ISO between those of two with the same steps: numbers and fixed noise lie between theirs.

    Settings go with the logarithm of the ISO, deviations of noise with its power.
    """
    assert low.iso and high.iso
    part = stops_apart(low.iso, iso) / stops_apart(low.iso, high.iso)
    nearer = low if part < 0.5 else high
    made_on = dict(nearer.made_on)
    ends = [fixed_noise(remedy) for remedy in (low, high)]
    if ends[0] is not None and ends[1] is not None:
        made_on["noise"] = noise_between(ends[0], ends[1], part).to_json()
    route = route_between(low.route, high.route, part)
    name = f"Between {low.name} and {high.name}"
    return replace(nearer, route=route, name=name, iso=iso, made_on=made_on)


def noise_between(low: NoiseModel, high: NoiseModel, part: float) -> NoiseModel:
    """Return a noise model between two: at 0 the first, at 1 the second."""

    def mixed(one: np.ndarray, other: np.ndarray) -> np.ndarray:
        return (one + (other - one) * part).astype(np.float32)

    sigma = geometric_mean(low.sigma, high.sigma, part).astype(np.float32)
    return NoiseModel(sigma, mixed(low.spectrum, high.spectrum), correlation=mixed(low.correlation, high.correlation))


def suited_remedy(remedies: Sequence[Remedy], camera: str, iso: int | None) -> Remedy | None:
    """Return the remedy for a picture of this camera and ISO: made at it, else between two, else the nearest."""
    if not camera or not iso:
        return None
    for remedy in remedies:
        if remedy.camera == camera and remedy.iso == iso:
            return remedy
    if (around := remedies_around(remedies, camera, iso)) is not None:
        return remedy_between(*around, iso)
    return nearest_remedy(remedies, camera, iso)
