"""Base: the picture after its leading Mend steps, with the reduced copies and the noise measured on it."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial

import cv2
import numpy as np

from dustpan.core.noise.measure import estimate_noise, mosaic_model
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.changed import Patches
from dustpan.core.picture.source import Mosaic, Region, Source, to_working
from dustpan.core.work.pool import Pool, map_out, share_out

_CROP = 224
_LOOKED_AT = 1_250_000  # pixels the noise is measured on
_OVERVIEW = 1_000_000


class Base:
    """A full picture that can be read at any level, and what was measured on it.

    pixels : H x W x 1 or 3 in any of the native types; a memory map when it is large and not the source's own.
    below : the base that `patches` lie on, when few pixels differ from it: nothing else is then kept twice.
    """

    def __init__(
        self,
        key: str,
        pixels: np.ndarray,
        *,
        linear: bool = False,
        noise: NoiseModel | None = None,
        mosaic: Mosaic | None = None,
        below: Base | None = None,
        patches: Patches | None = None,
        pool: Pool | None = None,
    ):
        self.key = key
        self._pool = pool
        self._below = below
        self._patches = [patches] if patches else []  # by level
        self.mosaic = mosaic
        self._pixels = pixels
        self._linear = linear
        self._noise = noise
        self._levels: list[np.ndarray] = []
        self._lock = threading.Lock()
        self._measuring = threading.Lock()

    @classmethod
    def of(cls, source: Source, noise: NoiseModel | None = None, pool: Pool | None = None) -> Base:
        """Return the base of a source without leading Mend steps; a pool's threads help to measure and reduce it."""
        return cls(source.key, source.pixels, linear=source.linear, noise=noise, mosaic=source.mosaic, pool=pool)

    def patched(self, key: str, patches: Patches, noise: NoiseModel | None = None) -> Base:
        """Return this base with few of its pixels changed."""
        return Base(key, self._pixels, linear=self._linear, noise=noise, below=self, patches=patches, pool=self._pool)

    @property
    def nbytes(self) -> int:
        """Bytes it will hold in memory beside its source: pixels of its own, reduced copies, or patches."""
        if self.patches is not None:
            return 2 * (self.patches.index.nbytes + self.patches.values.nbytes)
        own = 0 if isinstance(self._pixels, np.memmap) else self._pixels.nbytes
        return own + self.size[0] * self.size[1] * 4

    @property
    def patches(self) -> Patches | None:
        """The pixels that differ from the base below, when there is one."""
        return self._patches[0] if self._patches else None

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, px."""
        return self._pixels.shape[1], self._pixels.shape[0]

    def size_at(self, level: int) -> tuple[int, int]:
        """Width and height of the picture reduced by 2 ** level (rounded up)."""
        width, height = self.size
        return -(-width >> level), -(-height >> level)

    @property
    def overview_level(self) -> int:
        """The smallest level at which the picture has at most about 1 MP."""
        level = 0
        while self.size_at(level)[0] * self.size_at(level)[1] > _OVERVIEW:
            level += 1
        return level

    def read(self, region: Region, level: int = 0) -> np.ndarray:
        """Return working pixels of a region of the picture reduced by 2 ** level; a mosaic is never reduced."""
        x0, y0, x1, y1 = region
        if self._below is not None:
            return self._patches_at(level, self._below).lay_on(self._below.read(region, level), region)
        if self.mosaic is not None:
            return self.mosaic.light(self._pixels[y0:y1, x0:x1], region)
        if level == 0:
            return to_working(self._pixels[y0:y1, x0:x1], linear=self._linear)
        return self._level(level)[y0:y1, x0:x1]

    def _patches_at(self, level: int, below: Base) -> Patches:
        with self._lock:
            while len(self._patches) <= level:
                done = len(self._patches) - 1
                self._patches.append(self._patches[done].halved(partial(below.pick, level=done)))
            return self._patches[level]

    def pick(self, rows: np.ndarray, columns: np.ndarray, level: int) -> np.ndarray:
        """Return single working pixels (N, 3) of the picture reduced by 2 ** level."""
        if self._below is not None:
            below = self._below.pick(rows, columns, level)
            return self._patches_at(level, self._below).over(below, rows, columns)
        if level:
            return self._level(level)[rows, columns]
        return to_working(self._pixels[rows, columns][:, None], linear=self._linear)[:, 0]

    def _level(self, level: int) -> np.ndarray:
        with self._lock:
            while len(self._levels) < level:
                done = len(self._levels)
                self._levels.append(self._halved(done))
            return self._levels[level - 1]

    def _halved(self, level: int) -> np.ndarray:
        """Return the area mean of 2 x 2 of a level, in bands so that memory stays small."""
        width, height = self.size_at(level)
        reduced = np.empty((-(-height // 2), -(-width // 2), 3), np.float32)

        def one(top: int) -> None:
            below = min(top + 256, height)
            if level == 0:
                band = to_working(self._pixels[top:below], linear=self._linear)
            else:
                band = self._levels[level - 1][top:below]
            reduced[top // 2 : -(-below // 2)] = halve_picture(band)

        share_out(one, range(0, height, 256), self._pool)
        reduced.flags.writeable = False
        return reduced

    @property
    def noise(self) -> NoiseModel:
        """The noise measured on this picture."""
        with self._measuring:  # several threads ask for it at once; one measures
            if self._noise is None:
                crops = [self.read(region) for region in self.crop_regions()]
                each = partial(map_out, pool=self._pool)
                self._noise = (
                    mosaic_model(crops, self.mosaic.period) if self.mosaic else estimate_noise(crops, each=each)
                )
            return self._noise

    def crop_regions(self) -> list[Region]:
        """Return what a measurement looks at in full size: crops spread evenly; the whole picture when it is small."""
        width, height = self.size
        if width * height <= _LOOKED_AT:
            return [(0, 0, width, height)]
        across = max(1, round((_LOOKED_AT / _CROP**2 * width / height) ** 0.5))
        down = max(1, round(_LOOKED_AT / _CROP**2 / across))
        grain = 12  # px: whole periods of every pattern of a sensor
        lefts = np.linspace(0, max(width - _CROP, 0), across).astype(int)
        tops = np.linspace(0, max(height - _CROP, 0), down).astype(int)
        return [
            (x, y, min(x + _CROP, width), min(y + _CROP, height))
            for x in (lefts // grain * grain).tolist()
            for y in (tops // grain * grain).tolist()
        ]


def halve_picture(pixels: np.ndarray) -> np.ndarray:
    """Return the area mean of 2 x 2 pixels; an odd last row or column is averaged with itself."""
    height, width = pixels.shape[:2]
    if height % 2 or width % 2:
        pixels = cv2.copyMakeBorder(pixels, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE)
    return cv2.resize(pixels, (-(-width // 2), -(-height // 2)), interpolation=cv2.INTER_AREA)


def reduce_picture(pixels: np.ndarray, level: int, *, check: Callable[[], None] = lambda: None) -> np.ndarray:
    """Return the area mean by 2 ** level."""
    for _ in range(level):
        check()
        pixels = halve_picture(pixels)
    return pixels
