"""Remedies: a route that is kept for other pictures, with what it was made on and for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route
from dustpan.core.document.viewing import Viewing, read_viewing

#: Least and most noise that a proposal may leave, in units of what can just be seen.
VISIBLE = 0.2, 10.0


@dataclass(frozen=True)
class Remedy:
    """A route saved for reuse, with the camera and ISO it was made for.

    Attributes
    ----------
    route : the steps.
    name, note : the user's own words.
    camera, iso : of the picture it was made on.
    made_on : facts of that picture; `noise` holds its noise model as plain lists, `visible` what proposals might leave,
        `picture` its key.
    scaling : "measured" follows the noise of each picture, "fixed" uses the noise of `made_on`.
    output : wishes for the size of the output and its viewing.
    extra : entries that are kept untouched.
    """

    route: Route
    name: str = ""
    camera: str = ""
    iso: int | None = None
    note: str = ""
    made_on: Mapping[str, Any] = field(default_factory=dict)
    scaling: str = "measured"
    output: Mapping[str, Any] = field(default_factory=dict)
    extra: Mapping[str, Any] = field(default_factory=dict)

    @property
    def document(self) -> Document:
        """The route, and with fixed scaling the noise model that goes with it."""
        return Document(self.route, self.made_on.get("noise") if self.scaling == "fixed" else None)

    @property
    def output_size(self) -> tuple[int, int] | None:
        """Width and height that the output is to be reduced to fit within, or None."""
        size = self.output.get("size")
        if not size:
            return None
        width, height = size.lower().split("x") if isinstance(size, str) else size
        return int(width), int(height)

    def route_for(self, key: str) -> Route:
        """Return the route for a picture by its key: places stay on the picture that they were marked on."""
        return self.route if self.made_on.get("picture", key) == key else self.route.carried()

    @property
    def viewing(self) -> Viewing | None:
        """How the output will be looked at, or None."""
        return read_viewing(self.output.get("viewing"))


def unmet_wishes(remedy: Remedy) -> list[str]:
    """Return messages about output settings of a remedy that are kept but not applied."""
    if not remedy.output.get("viewing") or remedy.viewing is not None:
        return []
    return ["The remedy's wishes for the viewing of the output were not followed."]


# -- writing ----------------------------------------------------------------------------------------------------


# -- reading ----------------------------------------------------------------------------------------------------
