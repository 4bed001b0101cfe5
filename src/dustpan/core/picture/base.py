"""Base: the full picture that the steps behind the leading Mend steps start from."""

from __future__ import annotations

import threading
from functools import cached_property, partial

import numpy as np

from dustpan.core.picture.changed import ChangedPixels
from dustpan.core.picture.pyramid import Pyramid, level_under, size_at
from dustpan.core.picture.region import Region, Size
from dustpan.core.picture.source import Mosaic, Source
from dustpan.core.picture.working import to_working
from dustpan.core.work.pool import Pool

_CROP = 224  # px, side of the crops that measurements are taken from
_CROPPED = 1_250_000  # pixels of all crops together
_CROP_STEP = 12  # px that crops start at multiples of: whole periods of every pattern of a sensor
_OVERVIEW = 1_000_000  # most pixels of the overview


class Base:
    """A full picture that can be read at every pyramid level.

    Attributes
    ----------
    key : provenance of the pixels.
    size : width and height, px.
    mosaic : what the pixels mean while they are a sensor's; such a base has no reduced levels.
    """

    key: str
    size: Size
    mosaic: Mosaic | None = None
    changed: ChangedPixels | None = None

    def read(self, region: Region, level: int = 0) -> np.ndarray:
        """Return working pixels of a region of the picture reduced by 2 ** level; of a mosaic h x w x 1 light."""
        raise NotImplementedError

    def pick(self, rows: np.ndarray, columns: np.ndarray, level: int) -> np.ndarray:
        """Return single working pixels (N, 3) of the picture reduced by 2 ** level."""
        raise NotImplementedError

    @property
    def nbytes(self) -> int:
        """Bytes held in memory beside the source: own pixels and reduced levels."""
        raise NotImplementedError

    def size_at(self, level: int) -> Size:
        """Return width and height of the picture reduced by 2 ** level (rounded up)."""
        return size_at(self.size, level)

    @cached_property
    def overview_level(self) -> int:
        """The lowest level at which the picture has at most about 1 MP."""
        return level_under(self.size, _OVERVIEW)

    def read_overview(self) -> np.ndarray:
        """Return the picture reduced to at most about 1 MP."""
        return self.read((0, 0, *self.size_at(self.overview_level)), self.overview_level)

    def crop_regions(self) -> list[Region]:
        """Return regions that measurements look at in full size: spread evenly; all of a small picture."""
        width, height = self.size
        if width * height <= _CROPPED:
            return [(0, 0, width, height)]
        across = max(1, round((_CROPPED / _CROP**2 * width / height) ** 0.5))
        down = max(1, round(_CROPPED / _CROP**2 / across))
        lefts = np.linspace(0, max(width - _CROP, 0), across).astype(int)
        tops = np.linspace(0, max(height - _CROP, 0), down).astype(int)
        return [
            (x, y, min(x + _CROP, width), min(y + _CROP, height))
            for x in (lefts // _CROP_STEP * _CROP_STEP).tolist()
            for y in (tops // _CROP_STEP * _CROP_STEP).tolist()
        ]


class WholeBase(Base):
    """A base with an array of all its pixels.

    Parameters
    ----------
    pixels : H x W x 1 or 3, native; a memory map when it is large and not the source's own.
    linear : whether they are linear light.
    pool : threads that help to reduce it.
    """

    def __init__(
        self,
        key: str,
        pixels: np.ndarray,
        *,
        linear: bool = False,
        mosaic: Mosaic | None = None,
        pool: Pool | None = None,
    ):
        self.key, self.mosaic = key, mosaic
        self.size = pixels.shape[1], pixels.shape[0]
        self._pixels, self._linear = pixels, linear
        self._pyramid = Pyramid(pixels, linear=linear, pool=pool)

    @classmethod
    def of(cls, source: Source, key: str, *, pool: Pool | None = None) -> WholeBase:
        """Return a source as it is, before any step."""
        return cls(key, source.shown_pixels, linear=source.linear, mosaic=source.mosaic, pool=pool)

    def read(self, region: Region, level: int = 0) -> np.ndarray:
        """Return working pixels of a region."""
        x0, y0, x1, y1 = region
        if self.mosaic is not None:
            return self.mosaic.light(self._pixels[y0:y1, x0:x1], region)
        if level == 0:
            return to_working(self._pixels[y0:y1, x0:x1], linear=self._linear)
        return self._pyramid.at(level)[y0:y1, x0:x1]

    def pick(self, rows: np.ndarray, columns: np.ndarray, level: int) -> np.ndarray:
        """Return single working pixels (N, 3)."""
        if level:
            return self._pyramid.at(level)[rows, columns]
        return to_working(self._pixels[rows, columns][:, None], linear=self._linear)[:, 0]

    @property
    def nbytes(self) -> int:
        """Bytes of the array, unless it lies in a file, and of the reduced levels."""
        own = 0 if isinstance(self._pixels, np.memmap) else self._pixels.nbytes
        return own + self.size[0] * self.size[1] * 4


class ChangedBase(Base):
    """Another base with few of its pixels changed.

    Parameters
    ----------
    below : the other base.
    changed : the pixels that differ, at full size.
    """

    def __init__(self, key: str, below: Base, changed: ChangedPixels):
        self.key, self.size, self.changed = key, below.size, changed
        self._below = below
        self._by_level = [changed]
        self._lock = threading.Lock()

    def read(self, region: Region, level: int = 0) -> np.ndarray:
        """Return working pixels of a region."""
        return self._changed_at(level).lay_on(self._below.read(region, level), region)

    def pick(self, rows: np.ndarray, columns: np.ndarray, level: int) -> np.ndarray:
        """Return single working pixels (N, 3)."""
        return self._changed_at(level).replace_in(self._below.pick(rows, columns, level), rows, columns)

    @property
    def nbytes(self) -> int:
        """Bytes of the changed pixels, and about as many for their reduced levels."""
        return 2 * self._by_level[0].nbytes

    def _changed_at(self, level: int) -> ChangedPixels:
        with self._lock:
            while len(self._by_level) <= level:
                last = len(self._by_level) - 1
                self._by_level.append(self._by_level[last].halve(partial(self._below.pick, level=last)))
            return self._by_level[level]
