"""The one carrier of pixels and what belongs to them."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from dustpan.core.filters.colour import decode_curve, encode_curve

Region = tuple[int, int, int, int]  # x0, y0, x1, y1 in pixels
_HASHED = 8 << 20  # bytes fingerprinted at a time, so that all cores take part


@dataclass(frozen=True)
class Metadata:
    """What a file says about its picture, kept as the file wrote it.

    exif, xmp, iptc, profile : raw blocks (the EXIF block starts with its TIFF header), or empty.
    resolution : pixels per inch across and down, or None.
    native : a format's name and what its header holds besides, for a file of the same format.
    camera, iso, exposure : read from the EXIF block, for the title and for remedies.
    """

    exif: bytes = b""
    xmp: bytes = b""
    iptc: bytes = b""
    profile: bytes = b""
    resolution: tuple[float, float] | None = None
    camera: str = ""
    iso: int | None = None
    exposure: str = ""
    native: tuple[str, Mapping[str, Any]] | None = None


@dataclass(frozen=True, eq=False)
class Mosaic:
    """What the numbers of a sensor's mosaic mean.

    pattern : (2, 2) or (6, 6) uint8, colour of the sites from the picture's corner: 0 red, 1 green, 2 blue.
    black : the same shape, value of each site without light; white : value at which the sensor clips.
    as_shot : multipliers of red, green and blue that the camera chose.
    to_display : 3 x 3, balanced camera colours to linear sRGB; xyz_to_camera : 3 x 3, for white balance.
    """

    pattern: np.ndarray
    black: np.ndarray
    white: float
    as_shot: tuple[float, float, float]
    to_display: np.ndarray
    xyz_to_camera: np.ndarray

    @property
    def period(self) -> int:
        """Side of the pattern, px."""
        return self.pattern.shape[0]

    def _laid(self, tile: np.ndarray, region: Region) -> np.ndarray:
        rows, columns = (np.arange(a, b) % self.period for a, b in ((region[1], region[3]), (region[0], region[2])))
        return tile[rows[:, None], columns[None]]

    def colours(self, region: Region) -> np.ndarray:
        """Return the colour (0, 1, 2) of each site of a region, (h, w) uint8."""
        return self._laid(self.pattern, region)

    def light(self, native: np.ndarray, region: Region) -> np.ndarray:
        """Return h x w x 1 float32 of a region's native values: 0 black, 1 where the sensor clips."""
        black = self._laid(self.black, region)[..., None].astype(np.float32)
        return (native.astype(np.float32) - black) / (np.float32(self.white) - black)


@dataclass(frozen=True, eq=False)
class Source:
    """A picture in its native depth, and what its numbers mean.

    pixels : H x W x 1 or 3, uint8, uint16 or float32; read-only.
    linear : whether values hold linear light (worked in the sRGB curve, continued and mirrored).
    mosaic : what the pixels (H x W x 1) mean when they are a sensor's, still to be developed.
    alpha : H x W in the same type, or None; layers : other planes (H x W) by name; carried through untouched.
    alpha_kind : straight; premultiplied, where colours are multiplied by alpha; or unspecified.
    unsound : flat numbers and values of infinite ones and of what is no number, which `pixels` holds as 1 and 0: they
    are put back where no step has changed them. exact : the file's own values, where `pixels` can't hold them all.
    """

    pixels: np.ndarray
    name: str = ""
    linear: bool = False
    alpha: np.ndarray | None = None
    layers: Mapping[str, np.ndarray] = field(default_factory=dict)
    metadata: Metadata = field(default_factory=Metadata)
    messages: tuple[str, ...] = ()
    mosaic: Mosaic | None = None
    alpha_kind: str = "straight"
    unsound: tuple[np.ndarray, np.ndarray] | None = None
    exact: np.ndarray | None = None

    def __post_init__(self):
        self.pixels.flags.writeable = False

    @property
    def width(self) -> int:
        """Width in pixels."""
        return self.pixels.shape[1]

    @property
    def height(self) -> int:
        """Height in pixels."""
        return self.pixels.shape[0]

    @property
    def grey(self) -> bool:
        """Whether the picture has one channel."""
        return self.pixels.shape[2] == 1 and self.mosaic is None

    @cached_property
    def key(self) -> str:
        """A fingerprint of the pixels, the root of every cache key."""
        digest = hashlib.blake2b(digest_size=16)
        digest.update(repr((self.pixels.shape, self.pixels.dtype.str, self.linear)).encode())
        bands = np.array_split(self.pixels, min(max(self.pixels.nbytes // _HASHED, 1), self.height))
        with ThreadPoolExecutor() as threads:
            for part in threads.map(lambda band: hashlib.blake2b(np.ascontiguousarray(band).data).digest(), bands):
                digest.update(part)
        if self.mosaic is not None:
            digest.update(self.mosaic.pattern.tobytes())
        return digest.hexdigest()

    def read(self, region: Region) -> np.ndarray:
        """Return working pixels of a region inside the picture: h x w x 3 float32; of a mosaic h x w x 1."""
        x0, y0, x1, y1 = region
        native = self.pixels[y0:y1, x0:x1]
        if self.mosaic is not None:
            return self.mosaic.light(native, region)
        return to_working(native, linear=self.linear)


def to_working(native: np.ndarray, *, linear: bool = False) -> np.ndarray:
    """Convert native pixels (h x w x 1 or 3) to working pixels (h x w x 3 float32, 0 black, 1 white)."""
    working = native.astype(np.float32)
    if native.dtype.kind == "u":
        working *= np.float32(1 / np.iinfo(native.dtype).max)
    if linear:
        working = encode_curve(working)
    return np.repeat(working, 3, axis=2) if native.shape[2] == 1 else working


def from_working(working: np.ndarray, *, dtype, linear: bool = False) -> np.ndarray:
    """Convert working pixels to uint8, uint16 (rounded, clipped) or float32; linear light if asked."""
    if linear:
        working = decode_curve(working)
    if dtype == np.float32:
        return working.astype(np.float32)
    top = np.float32(np.iinfo(dtype).max)
    return (np.clip(working, 0, 1) * top + np.float32(0.5)).astype(dtype)
