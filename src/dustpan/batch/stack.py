"""The frames of a series as they lie over one another: placed in a scratch folder one by one, combined in blocks."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from math import isqrt
from pathlib import Path

import numpy as np

from dustpan.batch.frame_files import Frame, read_calibration, read_frame
from dustpan.batch.registration_cache import Registered, RegistrationCache
from dustpan.batch.series import Placed, Reference, Result, Series
from dustpan.core.errors import PictureError, SaveError
from dustpan.core.filters.file_values import from_light
from dustpan.core.filters.planes import shrink_to
from dustpan.core.frames.calibration import Calibration
from dustpan.core.frames.combining import HALO, Method, combine
from dustpan.core.frames.normalising import level_of, sky_of
from dustpan.core.frames.placing import place, place_channels
from dustpan.core.frames.quality import Quality
from dustpan.core.frames.registration import Look, channel_placements, followed, register, unmoved
from dustpan.core.frames.showing import Showing
from dustpan.core.picture.region import Region, cut_region, with_margin
from dustpan.core.picture.source import Source
from dustpan.core.work.cancel import Token
from dustpan.files.formats import FORMATS
from dustpan.files.save import save_picture

_ROOM = 256 << 20  # bytes of disk that are left free
_PARTS = 4  # times the stack of a block that its combination takes
_AT_ONCE = 2  # frames that are read ahead; blocks that are combined at the same time
_LARGE = 128 << 20  # bytes of light, from which one frame alone is read ahead
_LEAST_ACROSS = 256  # px of a block's width: rows of a file are read in parts of some kB
_PREVIEW = 900  # px, longer side of a frame in small

#: The reference that a frame was registered against before, and how.
Before = tuple[Path, Registered]
#: Called with the part that is done, 0 to 1, and what is being done.
Progress = Callable[[float, str], None]


def combine_series(
    series: Series, *, token: Token | None = None, progress: Progress = lambda done, what: None
) -> Result:
    """Return a series combined; raises DustpanError that names the file, and Cancelled."""
    with Stack(series, token) as stack:
        stack.place_all(lambda done, what: progress(0.7 * done, what))
        return stack.combined(progress=lambda done: progress(0.7 + 0.3 * done, "combining"))


class Stack:
    """The frames of a series as they lie over one another, in a scratch folder that goes when it is closed.

    Attributes
    ----------
    used : frames that are placed; the first is the reference.
    failed : (file, reason) of those that can't be used.
    """

    def __init__(self, series: Series, token: Token | None = None):
        self.series, self.token = series, token or Token()
        self.used: list[Placed] = []
        self.failed: list[tuple[Path, str]] = []
        self.reference: Reference | None = None
        self._cache = RegistrationCache.of_user() if series.cache else RegistrationCache(None)
        self._folder = tempfile.TemporaryDirectory(prefix="dustpan-frames-")
        self._calibration = Calibration()

    def __enter__(self) -> Stack:
        return self

    def __exit__(self, *fault) -> None:
        self.close()

    def close(self) -> None:
        """Drop the placed frames."""
        self._folder.cleanup()

    @property
    def shape(self) -> tuple[int, int, int]:
        """Height, width and channels of the reference."""
        assert self.reference is not None
        return self.reference.shape

    def place_all(self, progress: Progress = lambda done, what: None) -> None:
        """Read, calibrate, register and place all frames; the first that can be read is the reference."""
        series = self.series
        self._calibration = read_calibration(series.bias, series.dark, series.flat)
        frames = sorted(series.frames, key=lambda path: path != series.reference)  # the reference comes first
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            waiting: list[Future] = []
            for number, path in enumerate(frames):
                for following in frames[number + len(waiting) : number + 1 + self._ahead]:
                    waiting.append(pool.submit(self._read, following))
                progress(number / len(frames), path.name)
                future = waiting.pop(0)
                try:
                    self._place(path, *future.result())
                except (PictureError, MemoryError) as fault:
                    if series.stop_at_bad:
                        raise
                    self.failed.append((path, str(fault)))
        if not self.used:
            raise PictureError("None of the frames can be used: " + "; ".join(reason for _, reason in self.failed))

    @property
    def _ahead(self) -> int:
        """How many frames are read while one is placed: large ones fill the memory."""
        large = self.reference is None or np.prod(self.shape) * 4 >= _LARGE
        return 1 if large else _AT_ONCE

    def _read(self, path: Path) -> tuple[Frame, Before | None, Look | None]:
        """Return a frame with how it lay over a reference before, or, of one that is not large, with its look."""
        self.token.check()
        frame = read_frame(path, self._calibration)
        files = self._files(path)
        known = self._cache.find(files, self._how)
        before = None if known is None else (files[1], known)
        alone = before is not None or frame.light.nbytes >= _LARGE  # else two large frames are worked at once
        return frame, before, None if alone else Look.of(frame.light)

    @property
    def _how(self) -> str:
        return f"{self.series.align} {self.series.apart}"

    def _files(self, path: Path) -> list[Path]:
        """Return what a frame's registration comes from: itself, its reference, its calibration."""
        series = self.series
        first = self.reference.path if self.reference is not None else series.reference or series.frames[0]
        return [path, first, *series.dark, *series.flat, *series.bias]

    def _place(self, path: Path, frame: Frame, before: Before | None, look: Look | None) -> None:
        self.token.check()
        if self.reference is None:
            self._check_room(frame.light)
            self.reference = Reference.of(path, frame)
        if frame.light.shape != self.shape:
            (height, width), (own_height, own_width) = self.shape[:2], frame.light.shape[:2]
            raise PictureError(f"{path}: {own_width} x {own_height} px, the reference has {width} x {height}.")
        if before is not None and before[0] == self.reference.path:  # else the first frame could not be read
            found = before[1]
        else:
            found = self._register(path, frame, look or Look.of(frame.light))
        placed = self._laid(path, frame.light, found.matrices)
        file = Path(self._folder.name) / f"{len(self.used):04d}.npy"
        np.save(file, placed)
        previews = preview_of(frame.light), preview_of(placed)
        self.used.append(Placed(path, file, found.quality, found.level, *previews))
        if self.series.aligned is not None:
            self._write_aligned(path, np.nan_to_num(placed), frame.source)

    def _register(self, path: Path, frame: Frame, look: Look) -> Registered:
        """Return how a frame lies over the reference, and keep that."""
        assert self.reference is not None
        reference = self.reference
        try:
            own = path == reference.path
            matrix = unmoved() if own else register(reference.look, look, self.series.align)
        except PictureError as fault:
            raise PictureError(f"{path}: {fault}") from fault
        apart = self.series.apart and self.series.align != "none"
        matrices = channel_placements(reference.look, frame.light, matrix) if apart else matrix[None]
        level = level_of(sky_of(frame.light), look.stars, matrix, reference.look.stars, reference.sky)
        found = Registered(matrices, Quality.of(look, matrix), level)
        self._cache.keep(self._files(path), self._how, found)
        return found

    def _laid(self, path: Path, light: np.ndarray, matrices: np.ndarray) -> np.ndarray:
        """Return a frame's light as it lies over the reference, or over the target that is followed."""
        assert self.reference is not None
        frames, way = self.series.frames, self.series.way
        if any(way):
            number = frames.index(path) - frames.index(self.reference.path)
            matrices = np.stack([followed(matrix, way, number) for matrix in matrices])
        size = self.shape[1], self.shape[0]
        return place(light, matrices[0], size) if len(matrices) == 1 else place_channels(light, matrices, size)

    def _check_room(self, light: np.ndarray) -> None:
        folder = Path(self._folder.name)
        needed, free = light.nbytes * len(self.series.frames) + _ROOM, shutil.disk_usage(folder).free
        if needed > free:
            raise SaveError(
                f"{folder.parent}: {needed / 1e9:.1f} GB are needed for the placed frames, {free / 1e9:.1f} GB are"
                " free. Set TMPDIR to a folder with more room."
            )

    def _write_aligned(self, path: Path, light: np.ndarray, source: Source) -> None:
        assert self.series.aligned is not None
        target = self.series.aligned / f"{path.stem}-aligned.tif"
        pixels = light if source.linear else from_light(light, source.curve)
        replaced, sources = self.series.overwrite, self.series.inputs
        save_picture(target, pixels, source.metadata, FORMATS["tiff32"], overwrite=replaced, sources=sources)

    def combined(
        self,
        method: Method | None = None,
        chosen: Sequence[int] | None = None,
        *,
        progress: Callable[[float], None] = lambda done: None,
    ) -> Result:
        """Return placed frames combined.

        Parameters
        ----------
        method : instead of the series' own.
        chosen : indices of the frames in `used` that take part; all by default.
        """
        assert self.reference is not None
        method, frames = method or self.series.method, self._chosen(chosen)
        (height, width, _), by_frame = self.shape, np.zeros(len(frames))
        light = np.empty(self.shape, np.float32)
        rejected, coverage = np.empty((height, width), np.float32), np.empty((height, width), np.uint16)

        def work(block: Region) -> np.ndarray:
            self.token.check()
            wide = with_margin(block, HALO, (width, height))
            stack = self._part(frames, wide)
            done = combine(stack, _weights(frames), method)
            kept = _slices(block)
            light[kept], rejected[kept], coverage[kept] = (
                cut_region(plane, wide, block)
                for plane in (done.light, done.rejected, np.isfinite(stack[..., 0]).sum(axis=0))
            )
            return done.by_frame * (rejected[kept].size / done.rejected.size)

        blocks = self._blocks(len(frames))
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            for number, left_out in enumerate(pool.map(work, blocks)):
                by_frame += left_out
                progress((number + 1) / len(blocks))
        share = by_frame / max(light.size, 1)
        return Result(light, coverage, rejected, frames, share, self.failed, self.reference.source)

    def _blocks(self, count: int) -> list[Region]:
        """Return blocks that cover the picture, so small that the stacks of those in work stay within the memory."""
        height, width, channels = self.shape
        room = self.series.memory // (_AT_ONCE * _PARTS * count * channels * 4)  # px
        across = min(max(2 * isqrt(room), _LEAST_ACROSS), width)
        across = -(-width // -(-width // across))
        rows = max(room // (across + 2 * HALO) - 2 * HALO, 1)
        return [
            (left, top, min(left + across, width), min(top + rows, height))
            for top in range(0, height, rows)
            for left in range(0, width, across)
        ]

    def tried(self, method: Method, region: Region, chosen: Sequence[int] | None = None) -> np.ndarray:
        """Return the light of a small region, h x w x channels, combined by a method."""
        frames = self._chosen(chosen)
        return combine(self._part(frames, region), _weights(frames), method).light

    def _chosen(self, chosen: Sequence[int] | None) -> list[Placed]:
        return self.used if chosen is None else [self.used[index] for index in chosen]

    def _part(self, frames: list[Placed], region: Region) -> np.ndarray:
        """Return frames x h x w x channels of a region, brought to the reference's level."""
        assert self.reference is not None
        width, height = region[2] - region[0], region[3] - region[1]
        stack = np.empty((len(frames), height, width, self.shape[2]), np.float32)
        for part, frame in zip(stack, frames, strict=True):  # a map of a file counts as memory while it is held
            part[...] = frame.level.brought_to(np.load(frame.file, mmap_mode="r")[_slices(region)], self.reference.sky)
        return stack


def _slices(region: Region) -> tuple[slice, slice]:
    return slice(region[1], region[3]), slice(region[0], region[2])


def _weights(frames: list[Placed]) -> np.ndarray:
    weights = np.array([frame.level.weight for frame in frames])
    return (weights / weights.max()).astype(np.float32)


def preview_of(light: np.ndarray) -> np.ndarray:
    """Return a frame in small, h x w x 3 uint8, as a night is looked at."""
    small = np.nan_to_num(np.atleast_3d(shrink_to(light, _PREVIEW)))
    return Showing.of(small).shown(small)
