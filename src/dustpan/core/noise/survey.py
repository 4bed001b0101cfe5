"""A picture in small, with its noise: what steps and mask parts look at before they work.

Overview and crops cost the same at any size. What can't be told from them (the offset of each row) is told by `scan`,
which goes once over the whole picture.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from dustpan.core.document.params import Params
from dustpan.core.noise.fields import NoiseField
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.region import Region, Size
from dustpan.core.picture.source import Compression, Metadata, Mosaic

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
    crop_regions : where they lie.
    scan : calls a function with the pixels of each of some regions, at full size, and the region; returns the results
        in the regions' order. Several threads work at once.
    spread : calls a function with each of some items, and returns the results in their order. Several threads work at
        once.
    find_points : looks through the whole picture for what a kind of step, by name, finds with some settings.
    metadata : what the file says.
    mosaic : of the sensor, for steps that work before development.
    compression : of a JPEG.
    linear : whether the source holds linear light.
    rendered : whether the picture seems to be a renderer's.
    grey : whether it has one channel.
    features : whether it brings feature channels along.
    once : makes what is told of the crops, by name, when it is first asked for.
    visible : noise that may stay, in units of what can just be seen: see `visibility`.
    """

    size: Size
    noise: NoiseField
    base_noise: NoiseModel
    level: int
    render_overview: Callable[[], np.ndarray]
    read_crops: Callable[[], list[np.ndarray]]
    crop_regions: Sequence[Region]
    scan: Callable[[Callable[[np.ndarray, Region], Any], Sequence[Region]], list]
    spread: Callable[[Callable[[Any], Any], Sequence[Any]], list]
    find_points: Callable[[str, Params], Points]
    once: Callable[[str, Callable[[], Any]], Any]
    metadata: Metadata
    mosaic: Mosaic | None = None
    compression: Compression | None = None
    linear: bool = False
    rendered: bool = False
    grey: bool = False
    features: bool = False
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
