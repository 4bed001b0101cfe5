"""A picture in small, with its noise: what steps and mask parts look at before they work.

Overview and crops cost the same at any size. What they can't show (the offset of each row) is measured by
`Looks.scan`, which goes once over the whole picture.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.filters.file_values import to_display
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.picture.region import Extent, Region, Size
from dustpan.core.picture.source import Mosaic, Source

#: (x, y) of pixels of the full picture.
Points = tuple[tuple[int, int], ...]


class Looks(ABC):
    """Ways to look at a step's input, each made when it is first asked for. Several threads help."""

    @property
    @abstractmethod
    def crop_regions(self) -> Sequence[Region]:
        """Where the crops of `read_crops` lie: spread evenly over the picture."""

    @abstractmethod
    def render_overview(self) -> np.ndarray:
        """Return the input reduced by 2 ** level, h x w x 3 working pixels."""

    @abstractmethod
    def read_crops(self) -> list[np.ndarray]:
        """Return the mended picture in `crop_regions`, at full size."""

    @abstractmethod
    def scan(self, work: Callable[[np.ndarray, Region], Any], regions: Sequence[Region], *, name: str = "") -> list:
        """Call a function with the pixels of each region at full size, and the region; return the results in order.

        Under a name the results are stored, and the picture is gone over once.
        """

    @abstractmethod
    def spread(self, work: Callable[[Any], Any], items: Sequence[Any]) -> list:
        """Call a function with each item; return the results in order."""

    @abstractmethod
    def find_points(self, kind: str, params: Params) -> Points:
        """Look through the whole picture for what a kind of step, by name, finds with some settings."""

    @abstractmethod
    def once(self, name: str, make: Callable[[], Any]) -> Any:
        """Return what was made of the crops under a name, and make it when it is first asked for."""


@dataclass(frozen=True, eq=False)
class Survey:
    """The input of a step, in small.

    Attributes
    ----------
    source : the picture as its file holds it.
    mosaic : of the sensor, for steps that work before development; else None.
    size : width and height of the picture, px.
    noise : the noise at the step's input.
    base_noise : the noise as it was measured on Base.
    level : the overview is the picture reduced by 2 ** level.
    looks : see `Looks`.
    visible : noise that may stay, in units of what can just be seen: see `visibility`.
    bare : places that the user knows to be empty, where the noise was measured.
    lift : whether proposals may change the light of the picture.
    curve : the file's own tone curve, that `overview` is freed of for steps that work in light; else None.
    """

    source: Source
    mosaic: Mosaic | None
    size: Size
    noise: NoiseField
    base_noise: NoiseModel
    level: int
    looks: Looks
    visible: float = 1.0
    bare: tuple[Extent, ...] = ()
    lift: bool = False
    curve: FileCurve | None = None

    @cached_property
    def overview(self) -> np.ndarray:
        """The step's input reduced to at most about 1 MP, h x w x 3 working pixels."""
        return to_display(self.looks.render_overview(), self.curve)

    @cached_property
    def crops(self) -> list[np.ndarray]:
        """Crops of the mended picture at full size, about 1.25 MP together, spread evenly over it."""
        return self.looks.read_crops()

    @property
    def megapixels(self) -> float:
        """Size of the picture in millions of pixels."""
        return self.size[0] * self.size[1] / 1e6
