"""What a file format is: how to recognise it, read it, write it, and what it can't hold."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar

import numpy as np

from dustpan.core.picture.source import Metadata, Source
from dustpan.core.render.output import Output

DEFAULT_QUALITY = 92
HEAD = 16  # first bytes of a file, by which its format is recognised


@dataclass(frozen=True)
class Format(Output):
    """One way to write a picture: what the file holds, its name in the window, its endings.

    Attributes
    ----------
    label : its name in the window.
    suffixes : endings of such files, the usual one first.
    quality : whether it has a quality from 1 to 100.
    raw : whether it holds a sensor's mosaic, mended by the steps before development.
    pages : whether it can hold the original as a second page.
    """

    label: str = ""
    suffixes: tuple[str, ...] = ()
    quality: bool = False
    raw: bool = False
    pages: bool = False


@dataclass(frozen=True, eq=False)
class Content:
    """What is written to a file.

    Attributes
    ----------
    pixels : H x W x 1 to 4, in the format's depth; the last channel is alpha when there are 2 or 4.
    metadata : notes, profile and resolution.
    quality : 1 to 100, for formats that have one.
    layers : other planes by name, for formats that hold them.
    alpha_kind : of the source, for formats that say which kind theirs is.
    original : the picture as it came, like `pixels`, for formats that hold it as a second page.
    """

    pixels: np.ndarray
    metadata: Metadata
    quality: int = DEFAULT_QUALITY
    layers: Mapping[str, np.ndarray] = field(default_factory=dict)
    alpha_kind: str = "straight"
    original: np.ndarray | None = None


class FileKind(ABC):
    """A file format. The library that works it is loaded with the first file of its kind."""

    label: ClassVar[str]
    endings: ClassVar[tuple[str, ...]]
    formats: ClassVar[tuple[Format, ...]] = ()

    @abstractmethod
    def tells(self, path: Path, head: bytes) -> bool:
        """Return whether a file is of this kind, by its first `HEAD` bytes."""

    @abstractmethod
    def read(self, path: Path) -> Source:
        """Read a picture; raises PictureError that names the file."""

    def preview(self, path: Path) -> tuple[np.ndarray, tuple[int, int]] | None:
        """Return a small picture (h x w x 3 uint8) and the full size, or None where that would be slow."""
        return None

    def write(self, path: Path, content: Content, fmt: Format) -> tuple[str, ...]:
        """Write a picture in one of `formats`; return a sentence for each note that could not be written."""
        raise NotImplementedError(f"{self.label} is only read.")

    def native(self, source: Source) -> Format | None:
        """Return the way to write that keeps the depth of a picture read from this format, or None."""
        same = [fmt for fmt in self.formats if fmt.dtype == source.pixels.dtype]
        return same[0] if same else None

    def losses(self, source: Source, fmt: Format) -> list[str]:
        """Return in sentences what this format alone can't hold of a picture."""
        return []
