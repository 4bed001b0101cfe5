"""What the noise step proposes: the least that leaves no noise to be seen."""

from __future__ import annotations

import numpy as np

from dustpan.core.noise.fields import ModelField, NoiseField
from dustpan.core.noise.model import DISPLAY, DOUBTFUL, TONES
from dustpan.core.noise.survey import Survey
from dustpan.core.noise.visibility import least_to_take
from dustpan.core.picture.region import CENTRE
from dustpan.core.steps.quiet.noise_params import NoiseParams

_OCTAVES = 5.0  # of noise: each coarser one brings a picture nearer to the truth, those past a tile's cost little


def mean_deviations(field: NoiseField) -> tuple[float, float]:
    """Return luminance and colour noise of a field in display levels, at its middle place."""
    sigma = field.sigma(TONES[None, 1:-1], CENTRE) * DISPLAY
    return float(np.sqrt((sigma[0] ** 2).mean())), float(np.sqrt((sigma[1:] ** 2).mean()))


def propose_noise(survey: Survey) -> NoiseParams:
    """Propose the least that leaves no noise to be seen, and of noise that is not faint hardly any.

    Where luminance was measured with doubt its noise is taken for weaker, and more detail is given back: texture that
    goes is worse than noise that stays. Of a rendered picture with feature channels all is taken: they tell its detail,
    and its noise is far stronger at some places than at most of the same tone.
    """
    field, doubt = survey.noise, survey.base_noise.doubt[0]
    luminance, _ = mean_deviations(field)
    doubted = doubt > DOUBTFUL
    sigma = field.sigma(TONES[None], CENTRE)[:, 0]
    sigma = sigma * np.array([max(1 - doubt / 2, 0.0) if doubted else 1.0, 1.0, 1.0])[:, None]
    least = least_to_take(sigma, field.spectrum[0], _presence(survey), visible=survey.visible, doubted=doubted)
    parts = np.round(100 * least) if survey.source.features is None else (100.0, 100.0)
    return NoiseParams(
        luminance=float(parts[0]),
        colour=float(parts[1]),
        blotch=_OCTAVES,
        detail_return=(5.0 if luminance > 15 else 10.0) + (10.0 if doubted else 0.0),
    )


def _presence(survey: Survey) -> np.ndarray:
    """Return the share of the picture at each of `TONES`, as near as it is known behind local steps."""
    return survey.noise.model.presence if isinstance(survey.noise, ModelField) else survey.base_noise.presence
