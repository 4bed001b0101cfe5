"""Gentler settings that several kinds of step share."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar

from dustpan.core.document.params import Params

#: Harm that comes of a step's whole strength.
OF_STRENGTH = ("halo", "clipping_black", "clipping_white", "dull_highlights")

AnyParams = TypeVar("AnyParams", bound=Params)


def eased_strength(params: AnyParams, key: str, harm: str, *, least: float) -> AnyParams | None:
    """Return settings with less of a strength against a harm that comes of it, or None against any other.

    The settings themselves where the strength is as weak as `least` already.
    """
    strength = getattr(params, key)
    if harm not in OF_STRENGTH or strength <= 0:
        return None
    return params if strength < least else replace(params, **{key: round(0.7 * strength, 2)})
