"""What a kind of mask part is. Adding one takes a module in this folder and one test file."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from dustpan.core.document.kinds import Kind
from dustpan.core.document.params import Params, param
from dustpan.core.filters.guided import find_outline, reduced
from dustpan.core.noise.survey import Survey
from dustpan.core.picture.region import Region, Size


@dataclass(frozen=True)
class MaskContext:
    """What a mask part may know beside its tile.

    Attributes
    ----------
    size : width and height of the picture the regions are counted in (smaller in a draft).
    level : the picture is reduced by 2 ** level; 0 when exact.
    """

    size: Size
    level: int = 0


class PartKind(Kind):
    """Base of every kind of mask part: words, settings and pure functions, as of a kind of step.

    Attributes
    ----------
    order : rank in the list of kinds, among those that are found by the picture or those that are not.
    drawn : whether it is drawn by hand; such a part has the setting `pull`.
    by_picture : whether it is found by the picture; the list has these first.
    """

    order: ClassVar[int]
    by_picture: ClassVar[bool] = True

    drawn: ClassVar[bool] = False

    def told(self, params: Params) -> str:
        """Return what is covered, in a word or two for a line of text."""
        return self.label.lower()

    def reads(self, params: Params) -> bool:
        """Return whether `cover` looks at the picture; a drawn part only does when it is pulled to an outline."""
        return True

    def analyse(self, params: Params, survey: Survey) -> Any:
        """Return what `cover` needs to know of the whole picture, or None."""
        return None

    def support(self, params: Params, analysis: Any, level: int = 0) -> int:
        """Return how many pixels around a region `cover` looks at, 0 to 64."""
        return 0

    def cover(
        self, tile: np.ndarray | None, region: Region, params: Params, analysis: Any, context: MaskContext
    ) -> np.ndarray:
        """Return (h, w) float32 shares of a region, 0 outside to 1 inside.

        Parameters
        ----------
        tile : h x w x 3 float32 working pixels of the region, its support included; None for parts that do not read,
            whose region may reach beyond the picture.
        """
        raise NotImplementedError

    def pick(self, colour: np.ndarray, params: Params) -> Params | None:
        """Return settings that take in a colour, (n, 3) working values of a place on the picture; None for others."""
        return None


PULL = {"unit": "", "low": 0.0, "high": 1.0, "step": 0.05}


def pull() -> Any:
    """Declare the setting that every drawn part has."""
    return param("Pull to outline", 0.0, "Draws its rim towards the outline of what it covers.", **PULL)


class DrawnKind(PartKind):
    """Base of the parts that are drawn by hand: places, not pixels, unless they are pulled to an outline."""

    drawn = True
    by_picture = False

    def reads(self, params):
        """Return whether it is pulled to an outline."""
        return params.pull > 0

    def draw(self, region: Region, params: Any, size: Size) -> np.ndarray:
        """Return (h, w) float32 shares as drawn; the region may reach beyond the picture, of width and height `size`.

        A picture reduced for a look at its outlines is drawn on by the same function.
        """
        raise NotImplementedError

    def analyse(self, params, survey):
        """Return the outline that it is pulled to."""
        if not self.reads(params):
            return None
        picture = reduced(survey.overview)
        size = picture.shape[1], picture.shape[0]
        return find_outline(picture, self.draw((0, 0, *size), params, size))

    def cover(self, tile, region, params, analysis, context):
        """Return shares: as drawn, or drawn towards the outline."""
        drawn = self.draw(region, params, context.size)
        if tile is None or analysis is None:
            return drawn
        pulled = analysis.cover(tile, region, context.size)
        return drawn + np.float32(params.pull) * (pulled - drawn)
