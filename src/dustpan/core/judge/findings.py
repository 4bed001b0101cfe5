"""Findings: what is wrong with a picture, and what a route has done to it that should not stay."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.judge.harm import Figures
from dustpan.core.judge.places import Cells, Place
from dustpan.core.noise.model import DISPLAY, TONES, NoiseModel

NOISY = 2.4  # display levels from which noise is a finding, and cleaning worth its risk
COLOURFUL = 1.8  # display levels from which colour noise is a finding
_RENDER_TOO_NOISY = 12.0  # display levels past which more samples cure better than cleaning
_A_FEW, _DOTS = 0.5, 100.0  # specks in a megapixel that are not worth a word, of a photograph and of a drawing
_LOST = 0.002  # share of pixels at black or white
_MOST_PLACES = 12


@dataclass(frozen=True)
class Finding:
    """Something that is wrong.

    what : its id; text : in plain words; size : how much, in the unit of the text; step : the kind that mends it, of
    a harm the one that has done it, or nothing; step_id : which of the route; more : a second sentence; places :
    (x, y) in the picture's pixels; harm : whether the route has made it.
    """

    what: str
    text: str
    size: float
    step: str = ""
    places: tuple[tuple[int, int], ...] = ()
    harm: bool = False
    more: str = ""
    step_id: str = ""


def percent(share: float) -> str:
    """Return a share in words of the trade."""
    return f"{100 * share:.0f} %" if abs(share) >= 0.01 or share == 0 else f"{100 * share:.1g} %"


def noise_findings(model: NoiseModel, *, rendered: bool) -> list[Finding]:
    """Return what is to be said about noise.

    rendered : the picture is linear and comes from no camera; then more samples may be the better cure.
    """
    found = []
    luminance, colour = model.luminance, model.colour
    if luminance >= NOISY and rendered:
        many = luminance > _RENDER_TOO_NOISY
        cure = "more samples would be the better cure" if many else "four times the samples would halve it"
        found.append(Finding("render_noise", f"render noise {luminance:.0f} levels", luminance, "noise", more=cure))
    elif luminance >= NOISY:
        curve = model.sigma[0, 0]
        where = ("darks", "midtones", "lights")[min(int(TONES[np.argmax(curve)] * 3), 2)]
        text = f"noise {luminance:.0f} levels"
        found.append(
            Finding("noise", text, luminance, "noise", more=f"most in the {where}, up to {curve.max() * DISPLAY:.0f}")
        )
    if colour >= COLOURFUL:
        found.append(Finding("colour_noise", f"colour noise {colour:.0f} levels", colour, "noise"))
    return found


def hot_pixel_finding(
    places: Sequence[tuple[int, int]], megapixels: float, *, noiseless: bool = False
) -> list[Finding]:
    """Return the finding for specks found at places, when they are more than a few.

    noiseless : the picture was drawn, not taken: what stands alone there are dots and the holes of letters.
    """
    if len(places) <= max(2, (_DOTS if noiseless else _A_FEW) * megapixels):
        return []
    return [Finding("hot_pixels", f"{len(places)} hot pixels", float(len(places)), "hot_pixels", tuple(places))]


def light_findings(cells: Cells, stops: float, clipped: dict[str, float]) -> list[Finding]:
    """Return what is to be said about the light.

    stops : by how many the picture is too dark, 0 when it is right; clipped : shares lost at `black` and `white`.
    """
    found = []
    if stops >= 0.25:
        found.append(Finding("dark", f"{stops:.1f} stops dark", stops, "exposure"))
    worst = np.argsort(-cells.lost.ravel())[:_MOST_PLACES]
    for end, share in clipped.items():
        if share >= _LOST:
            bright = cells.tone.ravel() > 0.5
            places = tuple(
                cells.point(int(n)) for n in worst if cells.lost.ravel()[n] > 0.02 and bright[n] == (end == "white")
            )
            found.append(Finding(f"clipped_{end}", f"{percent(share)} lost at {end}", share, "", places))
    return found


@dataclass(frozen=True)
class _Harm:
    """One kind of harm: its id, the figure, whether more or less is worse, from where on, and its words."""

    what: str
    figure: str
    limit: float
    words: str
    scale: float = 1.0
    below: bool = False


_HARMS = (
    _Harm("halo", "halo", 0.05, "halos of {size:.0f} % along edges", 100),
    _Harm("flattened", "texture_kept", 0.8, "texture flattened to {size:.0f} %", 100, below=True),
    _Harm("darker_shadows", "speck_shift", -1.5, "shadows {size:.1f} L* darker, as white specks went", -1, below=True),
    _Harm("clipping_black", "clipped_black", _LOST, "{size:.1f} % driven to black", 100),
    _Harm("clipping_white", "clipped_white", _LOST, "{size:.1f} % driven to white", 100),
    _Harm(
        "dull_highlights",
        "highlight_shift",
        -0.02,
        "highlights knocked back by {size:.0f} levels",
        -DISPLAY,
        below=True,
    ),
    _Harm("cast", "cast", 2.0, "a cast of {size:.1f} levels in the darks"),
    _Harm("steps", "steps", 2.0, "gradients in steps of {size:.0f} levels"),
)


def harm_findings(whole: Figures, places: Sequence[Place], each: Sequence[Figures]) -> list[Finding]:
    """Return the harm of a route from its figures over all patches, with the patches where it is worst."""
    found = []
    for harm in _HARMS:
        value = getattr(whole, harm.figure)
        if value is None or not _past(value, harm):
            continue
        where = [(p, v) for p, f in zip(places, each, strict=True) if (v := getattr(f, harm.figure)) is not None]
        where = sorted((w for w in where if _past(w[1], harm)), key=lambda w: w[1], reverse=not harm.below)
        points = tuple((place.x, place.y) for place, _ in where[:_MOST_PLACES])
        size = value * harm.scale
        found.append(Finding(harm.what, harm.words.format(size=size), float(size), "", points, harm=True))
    return found


def _past(value: float, harm: _Harm) -> bool:
    return value <= harm.limit if harm.below else value >= harm.limit
