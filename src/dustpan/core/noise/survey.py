"""A picture in small, with its noise: what steps and mask parts look at before they work.

It is never the whole picture, so that looking costs the same at any size.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.region import Size
from dustpan.core.picture.source import Metadata, Mosaic

#: (x, y) of pixels of the full picture.
Points = tuple[tuple[int, int], ...]


@dataclass(frozen=True, eq=False)
class Survey:
    """The input of a step, in small.

    Attributes
    ----------
    size : width and height of the picture, px.
    noise : the noise at the step's input.
    base_noise : the noise as it was measured on Base.
    level : the overview is the picture reduced by 2 ** level.
    render_overview : renders it when it is first asked for.
    read_crops : reads the crops when they are first asked for.
    find_points : looks through the whole picture for what a kind of step, by name, finds with some settings.
    metadata : what the file says.
    mosaic : of the sensor, for steps that work before development.
    linear : whether the source holds linear light.
    visible : noise that may stay, in units of what can just be seen: see `visibility`.
    """

    size: Size
    noise: NoiseField
    base_noise: NoiseModel
    level: int
    render_overview: Callable[[], np.ndarray]
    read_crops: Callable[[], list[np.ndarray]]
    find_points: Callable[[str, Params], Points]
    metadata: Metadata
    mosaic: Mosaic | None = None
    linear: bool = False
    visible: float = 1.0

    @cached_property
    def overview(self) -> np.ndarray:
        """The step's input reduced to at most about 1 MP, h x w x 3 working pixels."""
        return self.render_overview()

    @cached_property
    def crops(self) -> list[np.ndarray]:
        """Crops of the mended picture at full size, about 1.25 MP together, spread evenly over it."""
        return self.read_crops()

    @property
    def megapixels(self) -> float:
        """Size of the picture in millions of pixels."""
        return self.size[0] * self.size[1] / 1e6
