"""What a step may look at before it works: never the whole picture, so looking costs the same at any size."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dustpan.core.noise.model import NoiseField, NoiseModel
from dustpan.core.picture.source import Metadata, Mosaic


@dataclass(frozen=True, eq=False)
class Survey:
    """The input of a step, in small.

    size : width and height of the picture, px.
    noise : the noise field at the step's input; measured : the model of Base as it was measured.
    level : the overview is the picture reduced by 2 ** level.
    look : renders the overview (at most about 1 MP, h x w x 3 working pixels) when it is first asked for.
    metadata : what the file says. mosaic : of the sensor, for steps that work before development.
    sample : reads crops of the mended picture at full size (about 1.25 MP together) when they are first asked for.
    """

    size: tuple[int, int]
    noise: NoiseField
    measured: NoiseModel
    level: int
    look: Callable[[], np.ndarray]
    metadata: Metadata
    sample: Callable[[], list[np.ndarray]]
    mosaic: Mosaic | None = None

    @cached_property
    def overview(self) -> np.ndarray:
        """The step's input reduced to at most about 1 MP."""
        return self.look()

    @cached_property
    def crops(self) -> list[np.ndarray]:
        """Crops of the mended picture at full size, spread evenly over it."""
        return self.sample()
