"""The noise of a camera over ISO, fitted to what was measured in its pictures, and its use for busy ones."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dustpan.core.document.between import stops_apart
from dustpan.core.noise.fixed import noise_between
from dustpan.core.noise.model import DOUBTFUL, NoiseModel, geometric_mean

_BEYOND = 1.0  # stops of ISO past those measured, up to which it is extrapolated
_OFF = 0.25  # relative error of a picture's noise as estimated from the camera's other pictures
_LEAST_DOUBT = 0.05
_FAINT = 1e-5  # deviation under which logarithms are not fitted
_CURVED = 4  # ISOs from which the course over them may be curved


@dataclass(frozen=True, eq=False)
class Measured:
    """The measurement of one picture: its ISO and its noise."""

    iso: int
    model: NoiseModel


@dataclass(frozen=True, eq=False)
class CameraNoise:
    """Noise at some ISOs, ascending.

    Attributes
    ----------
    isos : as measured.
    models : fitted over all of them.
    """

    isos: tuple[int, ...]
    models: tuple[NoiseModel, ...]

    def at(self, iso: int) -> NoiseModel | None:
        """Return the noise at an ISO, or None more than one stop beyond those measured."""
        if not self.isos:
            return None
        if stops_apart(iso, self.isos[0]) > _BEYOND or stops_apart(self.isos[-1], iso) > _BEYOND:
            return None
        if len(self.isos) == 1:
            return self.models[0]
        after = min(max(int(np.searchsorted(self.isos, iso)), 1), len(self.isos) - 1)
        low, high = self.isos[after - 1], self.isos[after]
        part = stops_apart(low, iso) / stops_apart(low, high)
        return noise_between(self.models[after - 1], self.models[after], part)


def fit_camera(measured: Sequence[Measured]) -> CameraNoise:
    """Fit deviations over ISO: straight in logarithms, curved from four ISOs on; each counts by its certainty.

    Parameters
    ----------
    measured : pictures of one camera, developed alike; several of one ISO are joined first.
    """
    isos = sorted({item.iso for item in measured})
    joined = [_joined([item.model for item in measured if item.iso == iso]) for iso in isos]
    if len(isos) < 2:
        return CameraNoise(tuple(isos), tuple(joined))
    stops = np.log2(isos)
    counts = np.array([1 / max(float(np.mean(model.doubt)), _LEAST_DOUBT) for model in joined])
    logs = np.log(np.maximum(np.stack([model.sigma for model in joined]), _FAINT)).reshape(len(isos), -1)
    degree = 2 if len(isos) >= _CURVED else 1
    fitted = np.polynomial.polynomial.polyfit(stops - stops.mean(), logs, degree, w=counts)
    course = np.exp(np.polynomial.polynomial.polyval(stops - stops.mean(), fitted).T)
    shape = joined[0].sigma.shape
    models = [replace(m, sigma=row.reshape(shape).astype(np.float32)) for m, row in zip(joined, course, strict=True)]
    return CameraNoise(tuple(isos), tuple(models))


def _joined(models: Sequence[NoiseModel]) -> NoiseModel:
    """Return the mean of models of one ISO."""
    first, *others = models
    for count, other in enumerate(others, 2):
        first = replace(noise_between(first, other, 1 / count), doubt=first.doubt, presence=first.presence)
    return first


def with_camera(measured: NoiseModel, camera: NoiseModel) -> NoiseModel:
    """Return a picture's noise, where its measurement is doubtful, drawn to what its camera has at this ISO.

    Luminance and colour count apart, each by its doubt; a sure measurement stays as it was.
    """
    sigma, doubt = measured.sigma.copy(), list(measured.doubt)
    for part, planes in enumerate((slice(0, 1), slice(1, 3))):
        own = measured.doubt[part]
        if own < DOUBTFUL:
            continue
        weight = own**2 / (own**2 + _OFF**2)
        sigma[:, planes] = geometric_mean(measured.sigma[:, planes], camera.sigma[:, planes], weight)
        doubt[part] = own * _OFF / float(np.hypot(own, _OFF))
    return replace(measured, sigma=sigma, doubt=(doubt[0], doubt[1]))


def measure_with_camera(measure: Callable[[], NoiseModel], camera: NoiseModel) -> NoiseModel:
    """Measure a picture's noise, helped by what is known of its camera."""
    return with_camera(measure(), camera)
