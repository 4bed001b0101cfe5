"""What a kind of mask part is. Adding one takes a module in this folder and one test file."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from dustpan.core.document.kinds import Kind
from dustpan.core.document.params import Params
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
    reads_pixels : whether `cover` looks at the picture; a drawn part does not.
    """

    reads_pixels: ClassVar[bool] = False

    def analyse(self, params: Params, survey: Survey) -> Any:
        """Return what `cover` needs to know of the whole picture, or None."""
        return None

    def support(self, params: Params, analysis: Any) -> int:
        """Return how many pixels around a region `cover` looks at, 0 to 64."""
        return 0

    def cover(
        self, tile: np.ndarray | None, region: Region, params: Params, analysis: Any, context: MaskContext
    ) -> np.ndarray:
        """Return (h, w) float32 shares of a region, 0 outside to 1 inside.

        Parameters
        ----------
        tile : h x w x 3 float32 working pixels of the region, its support included; None for drawn parts, whose
            region may reach beyond the picture.
        """
        raise NotImplementedError
