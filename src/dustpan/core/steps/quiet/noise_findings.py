"""What is said of a picture's noise when it is opened."""

from __future__ import annotations

import numpy as np

from dustpan.core.noise.model import DISPLAY, DOUBTFUL, NOTICEABLE, NOTICEABLE_COLOUR, TONES, NoiseModel
from dustpan.core.noise.starved import Starved
from dustpan.core.steps.finding import Finding, percent

_A_FEW = 0.005  # share of cells, up to which a render has samples enough


def find_noise(model: NoiseModel, *, kind: str, starved: Starved | None = None) -> list[Finding]:
    """Return how strong luminance and colour noise are, each where it can be seen.

    Parameters
    ----------
    model : the noise of the picture as it came.
    kind : of the step that helps.
    starved : of a rendered picture, where it has too few samples.
    """
    found = []
    if model.luminance >= NOTICEABLE:
        found.append(_camera_noise(model, kind) if starved is None else _render_noise(model.luminance, kind, starved))
    if model.colour >= NOTICEABLE_COLOUR:
        text = f"colour noise {_about(model.doubt[1])}{model.colour:.0f} levels"
        found.append(Finding("colour_noise", text, model.colour, kind, unsure=_is_unsure(model.doubt[1])))
    return found


def _render_noise(luminance: float, kind: str, starved: Starved) -> Finding:
    """Return the noise of a rendered picture, with the places where more samples cure better than cleaning."""
    many = starved.share > _A_FEW
    cure = f"more samples would be the better cure in {percent(starved.share)} of it"
    more, points = (cure, starved.points) if many else ("four times the samples would halve it", ())
    return Finding("render_noise", f"render noise {luminance:.0f} levels", luminance, kind, points, more=more)


def _camera_noise(model: NoiseModel, kind: str) -> Finding:
    curve = model.sigma[0, 0]
    where = ("darks", "midtones", "lights")[min(int(TONES[np.argmax(curve)] * 3), 2)]
    corners = f"; in the corners {model.in_corners:.1f} times that of the middle" if model.in_corners > 1 else ""
    more = f"most in the {where}, up to {curve.max() * DISPLAY:.0f}{corners}"
    text = f"noise {_about(model.doubt[0])}{model.luminance:.0f} levels"
    return Finding("noise", text, model.luminance, kind, more=more, unsure=_is_unsure(model.doubt[0]))


def _about(doubt: float) -> str:
    return "about " if _is_unsure(doubt) else ""


def _is_unsure(doubt: float) -> bool:
    return doubt > DOUBTFUL
