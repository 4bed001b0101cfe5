"""What a measurement has found, in words and figures."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Finding:
    """Something that is wrong with a picture, or that a route has done and should not have.

    Attributes
    ----------
    what : its id.
    text : in plain words.
    size : how much, in the unit of the text.
    step : the kind that mends it, or of a harm the one that has done it; empty where there is none.
    points : (x, y) in the picture's pixels.
    harm : whether the route has done it.
    more : a second sentence.
    step_id : which of the route's steps.
    unsure : whether it was measured with doubt, so that the user may mark bare places for it.
    """

    what: str
    text: str
    size: float
    step: str = ""
    points: tuple[tuple[int, int], ...] = ()
    harm: bool = False
    more: str = ""
    step_id: str = ""
    unsure: bool = False


def percent(share: float) -> str:
    """Return a share as percent with one or two figures."""
    return f"{100 * share:.0f} %" if abs(share) >= 0.01 or share == 0 else f"{100 * share:.1g} %"
