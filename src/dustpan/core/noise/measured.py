"""The noise of a base, measured lazily."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from functools import partial

from dustpan.core.noise.bare import bare_regions, measure_bare
from dustpan.core.noise.measure import estimate_noise
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.mosaic import estimate_mosaic_noise
from dustpan.core.noise.places import follow_places, with_course_of
from dustpan.core.picture.base import Base
from dustpan.core.picture.region import Extent
from dustpan.core.picture.source import Compression
from dustpan.core.work.pool import Pool
from dustpan.core.work.sharing import map_shared


class MeasuredNoise:
    """A noise model that is measured once, by the first of several threads that need it.

    Parameters
    ----------
    measure : returns the model.
    """

    def __init__(self, measure: Callable[[], NoiseModel]):
        self._measure: Callable[[], NoiseModel] | None = measure
        self._model: NoiseModel | None = None
        self._lock = threading.Lock()

    @classmethod
    def known(cls, model: NoiseModel) -> MeasuredNoise:
        """Return a model that needs no measuring."""
        return cls(lambda: model)

    @property
    def at_hand(self) -> NoiseModel | None:
        """The model, or None when it was not measured yet."""
        return self._model

    @property
    def model(self) -> NoiseModel:
        """The model, measured now if it was not yet."""
        with self._lock:
            if self._measure is not None:
                self._model, self._measure = self._measure(), None  # what it measured on may go
            assert self._model is not None
            return self._model


def measure_base(base: Base, compression: Compression | None = None, *, pool: Pool | None = None) -> NoiseModel:
    """Return the noise measured on crops of a base, and from how its file was compressed."""
    crops = [base.read(region) for region in base.crop_regions()]
    if base.mosaic is not None:
        return estimate_mosaic_noise(crops, base.mosaic.period)
    each = partial(map_shared, pool=pool)
    model = estimate_noise(crops, compression, each=each)
    return follow_places(model, crops, base.crop_regions(), base.size, compression, each=each)


def measure_base_in(
    bare: Sequence[Extent], base: Base, model: NoiseModel, compression: Compression | None = None
) -> NoiseModel:
    """Return the noise measured in places of a base that are known to be empty.

    Parameters
    ----------
    model : measured on all of the base. That of a mosaic is returned: places are measured when it is developed.
    """
    if base.mosaic is not None:
        return model
    found = measure_bare(model, [base.read(region) for region in bare_regions(bare, base.size)], compression)
    return with_course_of(model, found, bare)
