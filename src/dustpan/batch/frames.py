"""Combine a series of frames into one picture: placed in a scratch folder one by one, then combined in bands."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from dustpan.batch.frame_files import Frame, read_calibration, read_frame
from dustpan.core.errors import PictureError, SaveError
from dustpan.core.frames.combining import HALO, Combined, Method, combine
from dustpan.core.frames.normalising import Level, level_of, sky_of
from dustpan.core.frames.placing import place
from dustpan.core.frames.quality import Quality
from dustpan.core.frames.registration import Look, register, unmoved
from dustpan.core.frames.stars import noise_of
from dustpan.core.picture.curve import encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.core.work.cancel import Token
from dustpan.files.formats import FORMATS
from dustpan.files.save import Format, format_for, save_picture

_ROOM = 256 << 20  # bytes of disk that are left free
_PARTS = 4  # times the stack of a band that its combination takes
_AT_ONCE = 2  # frames read side by side

#: Called with the part that is done, 0 to 1, and what is being done.
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Series:
    """What is to be combined, and how.

    Attributes
    ----------
    frames : files; the first that can be read is the reference.
    align : one of `registration.ALIGNMENTS`.
    dark, flat, bias : calibration frames.
    stop_at_bad : whether a frame that can't be used ends it all.
    memory : bytes that the combination may take.
    aligned : folder into which the placed frames are written too, or None.
    """

    frames: tuple[Path, ...]
    align: str = "rotate"
    method: Method = field(default_factory=Method)
    dark: tuple[Path, ...] = ()
    flat: tuple[Path, ...] = ()
    bias: tuple[Path, ...] = ()
    stop_at_bad: bool = False
    memory: int = 1000 << 20
    aligned: Path | None = None

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that are read."""
        return (*self.frames, *self.dark, *self.flat, *self.bias)


@dataclass(frozen=True, eq=False)
class Placed:
    """A frame in the scratch folder, as it lies over the reference."""

    path: Path
    file: Path
    quality: Quality
    level: Level


@dataclass(frozen=True, eq=False)
class Result:
    """The combined picture.

    Attributes
    ----------
    light : h x w x channels linear light.
    coverage : (h, w) how many frames reach each pixel.
    rejected : (h, w) share of values that were left out.
    used : the frames in it, with their figures.
    by_frame : (frames,) share of each one's values that were left out.
    failed : (file, reason) of those that could not be used.
    source : of the reference.
    """

    light: np.ndarray
    coverage: np.ndarray
    rejected: np.ndarray
    used: list[Placed]
    by_frame: np.ndarray
    failed: list[tuple[Path, str]]
    source: Source


def combine_series(
    series: Series, *, token: Token | None = None, progress: Progress = lambda done, what: None
) -> Result:
    """Return a series combined; raises DustpanError that names the file, and Cancelled."""
    token = token or Token()
    with tempfile.TemporaryDirectory(prefix="dustpan-frames-") as name:
        placing = _Placing(series, Path(name), token)
        placing.run(lambda done, what: progress(0.7 * done, what))
        return placing.combined(lambda done: progress(0.7 + 0.3 * done, "combining"))


class _Placing:
    """Place frames one after another in a scratch folder; the first one that can be read is the reference."""

    def __init__(self, series: Series, folder: Path, token: Token):
        self.series, self.folder, self.token = series, folder, token
        self.calibration = read_calibration(series.bias, series.dark, series.flat)
        self.used: list[Placed] = []
        self.failed: list[tuple[Path, str]] = []
        self.reference: tuple[Source, Look, np.ndarray] | None = None

    def run(self, progress: Progress) -> None:
        """Read, calibrate, register and place all frames."""
        frames = list(self.series.frames)
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            waiting = [(path, pool.submit(self._read, path)) for path in frames[:_AT_ONCE]]
            for number in range(len(frames)):
                path, future = waiting.pop(0)
                if number + _AT_ONCE < len(frames):
                    following = frames[number + _AT_ONCE]
                    waiting.append((following, pool.submit(self._read, following)))
                progress(number / len(frames), path.name)
                try:
                    self._place(path, *future.result())
                except (PictureError, MemoryError) as fault:
                    if self.series.stop_at_bad:
                        raise
                    self.failed.append((path, str(fault)))
        if not self.used:
            raise PictureError("None of the frames can be used: " + "; ".join(reason for _, reason in self.failed))

    def _read(self, path: Path) -> tuple[Frame, Look]:
        self.token.check()
        frame = read_frame(path, self.calibration)
        return frame, Look.of(frame.light)

    def _place(self, path: Path, frame: Frame, look: Look) -> None:
        self.token.check()
        if self.reference is None:
            self._make_room(frame.light)
            self.reference = frame.source, look, sky_of(frame.light)
            matrix = unmoved()
        else:
            if frame.light.shape != self._shape:
                height, width = frame.light.shape[:2]
                raise PictureError(
                    f"{path}: {width} x {height} px, the reference has {self._shape[1]} x {self._shape[0]}."
                )
            try:
                matrix = register(self.reference[1], look, self.series.align)
            except PictureError as fault:
                raise PictureError(f"{path}: {fault}") from fault
        placed = place(frame.light, matrix, (self._shape[1], self._shape[0]))
        file = self.folder / f"{len(self.used):04d}.npy"
        np.save(file, placed)
        _, reference, sky = self.reference
        level = level_of(sky_of(placed), look.stars, matrix, reference.stars, sky)
        self.used.append(Placed(path, file, Quality.of(look, matrix), level))
        if self.series.aligned is not None:
            self._write_aligned(path, np.nan_to_num(placed), frame.source)

    @property
    def _shape(self) -> tuple[int, ...]:
        assert self.reference is not None
        return (*self.reference[1].tone.shape, len(self.reference[2]))

    def _make_room(self, light: np.ndarray) -> None:
        needed, free = light.nbytes * len(self.series.frames) + _ROOM, shutil.disk_usage(self.folder).free
        if needed > free:
            raise SaveError(
                f"{self.folder.parent}: {needed / 1e9:.1f} GB are needed for the placed frames, {free / 1e9:.1f} GB are"
                " free. Set TMPDIR to a folder with more room."
            )

    def _write_aligned(self, path: Path, light: np.ndarray, source: Source) -> None:
        assert self.series.aligned is not None
        target = self.series.aligned / f"{path.stem}-aligned.tif"
        pixels = light if source.linear else encode_curve(light).astype(np.float32)
        save_picture(target, pixels, source.metadata, FORMATS["tiff32"], overwrite=True, sources=self.series.inputs)

    def combined(self, progress: Callable[[float], None]) -> Result:
        """Return the placed frames combined."""
        assert self.reference is not None
        height, width, channels = self._shape
        stacks = [np.load(placed.file, mmap_mode="r") for placed in self.used]
        rows = max(self.series.memory // (len(stacks) * width * channels * 4 * _PARTS) - 2 * HALO, 1)
        light = np.empty(self._shape, np.float32)
        rejected, coverage = np.empty((height, width), np.float32), np.empty((height, width), np.uint16)
        by_frame = np.zeros(len(stacks))
        for top in range(0, height, rows):
            self.token.check()
            progress(top / height)
            kept = slice(top, min(top + rows, height))
            whole = slice(max(kept.start - HALO, 0), min(kept.stop + HALO, height))
            band = self._band(stacks, whole)
            coverage[kept] = np.isfinite(band[:, :, :, 0]).sum(axis=0)[kept.start - whole.start :][
                : kept.stop - kept.start
            ]
            done = combine(band, self._weights, self.series.method)
            inner = slice(kept.start - whole.start, kept.stop - whole.start)
            light[kept], rejected[kept] = done.light[inner], done.rejected[inner]
            by_frame += _inside(done, whole, kept)
        share = by_frame / max(light.size, 1)
        return Result(light, coverage, rejected, self.used, share, self.failed, self.reference[0])

    @property
    def _weights(self) -> np.ndarray:
        weights = np.array([placed.level.weight for placed in self.used])
        return (weights / weights.max()).astype(np.float32)

    def _band(self, stacks: list[np.ndarray], rows: slice) -> np.ndarray:
        """Return frames x rows x w x channels, brought to the reference's level."""
        assert self.reference is not None
        sky = self.reference[2]
        return np.stack([p.level.brought_to(s[rows], sky) for p, s in zip(self.used, stacks, strict=True)])


def _inside(done: Combined, whole: slice, kept: slice) -> np.ndarray:
    """Return about how many values of each frame were left out in the rows that are kept."""
    return done.by_frame * ((kept.stop - kept.start) / (whole.stop - whole.start))


def save_result(
    result: Result, target: Path, series: Series, *, fmt: Format | None = None, overwrite: bool = False
) -> None:
    """Write a combined picture; linear light stays linear where the format can hold that."""
    source = result.source
    fmt = fmt or format_for(target, np.dtype(np.float32) if source.linear else np.dtype(np.uint16))
    working = encode_curve(result.light).astype(np.float32)
    pixels = from_working(working, dtype=fmt.dtype, linear=fmt.is_linear_for(source))
    save_picture(target, pixels, source.metadata, fmt, overwrite=overwrite, sources=series.inputs)


def figures_of(result: Result) -> dict:
    """Return the figures of a combination as plain values."""
    used = result.used
    noise = noise_of(np.ascontiguousarray(result.light.mean(axis=2)))
    single = float(np.sqrt(np.mean([(p.level.gain * p.quality.noise) ** 2 for p in used])))
    return {
        "width": result.light.shape[1],
        "height": result.light.shape[0],
        "used": [_told(placed, float(share)) for placed, share in zip(used, result.by_frame, strict=True)],
        "failed": [{"source": str(path), "error": reason} for path, reason in result.failed],
        "noise": {"frame": single, "result": noise, "gain": single / max(noise, 1e-12)},
        "rejected": float(result.rejected.mean()),
        "covered_by_all": float(np.mean(result.coverage == len(used))),
    }


def _told(placed: Placed, rejected: float) -> dict:
    quality = placed.quality
    return {
        "source": str(placed.path),
        "shift": [round(v, 3) for v in quality.shift],
        "angle": round(quality.angle, 4),
        "stars": quality.stars,
        "star_width": round(quality.star_width, 3),
        "sharpness": round(quality.sharpness, 3),
        "background": quality.background,
        "noise": quality.noise,
        "gain": round(placed.level.gain, 4),
        "rejected": round(rejected, 6),
    }
