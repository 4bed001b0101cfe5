"""A series of frames that is to be combined, its frames as they are placed, and what they give."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from dustpan.batch.frame_files import Frame
from dustpan.core.frames.combining import Method
from dustpan.core.frames.normalising import Level, sky_of
from dustpan.core.frames.quality import Quality
from dustpan.core.frames.registration import Look
from dustpan.core.picture.source import Source


@dataclass(frozen=True)
class Series:
    """What is to be combined, and how.

    Attributes
    ----------
    frames : files.
    reference : the one that the others are laid over; the first that can be read where None.
    align : one of `registration.ALIGNMENTS`.
    dark, flat, bias : calibration frames.
    stop_at_bad : whether a frame that can't be used ends it all.
    memory : bytes that the combination may take.
    aligned : folder into which the placed frames are written too, or None.
    overwrite : whether files of their names there are replaced.
    follow : x and y of a target that moves against the rest, in the first and in the last frame, px of the reference;
        None to follow what stands still.
    apart : whether channels are registered apart.
    cache : whether registrations are kept in the user's cache, and found there.
    """

    frames: tuple[Path, ...]
    reference: Path | None = None
    align: str = "rotate"
    method: Method = field(default_factory=Method)
    dark: tuple[Path, ...] = ()
    flat: tuple[Path, ...] = ()
    bias: tuple[Path, ...] = ()
    stop_at_bad: bool = False
    memory: int = 1000 << 20
    aligned: Path | None = None
    overwrite: bool = False
    follow: tuple[float, float, float, float] | None = None
    apart: bool = False
    cache: bool = True

    @property
    def way(self) -> tuple[float, float]:
        """By how much the target moves from frame to frame, px of the reference."""
        if self.follow is None:
            return 0.0, 0.0
        x0, y0, x1, y1 = self.follow
        steps = max(len(self.frames) - 1, 1)
        return (x1 - x0) / steps, (y1 - y0) / steps

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that are read."""
        return (*self.frames, *self.dark, *self.flat, *self.bias)


@dataclass(frozen=True, eq=False)
class Reference:
    """The frame that the others are laid over.

    Attributes
    ----------
    sky : (channels,) its median light.
    """

    path: Path
    source: Source
    look: Look
    sky: np.ndarray
    shape: tuple[int, int, int]

    @classmethod
    def of(cls, path: Path, frame: Frame) -> Reference:
        """Return a frame as the reference."""
        height, width, channels = frame.light.shape
        return cls(path, frame.source, Look.of(frame.light), sky_of(frame.light), (height, width, channels))


@dataclass(frozen=True, eq=False)
class Placed:
    """A frame in the scratch folder, as it lies over the reference.

    Attributes
    ----------
    path, file : of the frame, and of its light in the scratch folder.
    quality, level : see there.
    loose, preview : the frame in small as it came, and as it is placed; h x w x 3 uint8.
    """

    path: Path
    file: Path
    quality: Quality
    level: Level
    loose: np.ndarray
    preview: np.ndarray


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
