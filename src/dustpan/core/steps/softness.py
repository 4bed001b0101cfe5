"""How soft a picture is, as steps ask for it."""

from __future__ import annotations

import numpy as np

from dustpan.core.filters.edge_blur import Blur, measure_blur
from dustpan.core.noise.survey import Survey


def blur_of(survey: Survey) -> Blur | None:
    """Return the blur of the mended picture's own edges, measured once for all steps; None without an edge."""
    return survey.looks.once("blur", lambda: measure_blur([np.clip(crop, 0, 1) for crop in survey.crops]))
