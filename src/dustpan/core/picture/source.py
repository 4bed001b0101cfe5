"""A picture as its file holds it: pixels in their native depth, metadata, other channels."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from dustpan.core.picture.features import Features
from dustpan.core.picture.file_curve import FileCurve
from dustpan.core.picture.hidden import fill_hidden
from dustpan.core.picture.region import Region
from dustpan.core.picture.working import to_working

_HASHED_AT_ONCE = 8 << 20  # bytes; several threads hash parts of this size


@dataclass(frozen=True)
class Metadata:
    """What a file says about its picture, kept as the file wrote it.

    Attributes
    ----------
    exif, xmp, iptc, profile : raw blocks (the EXIF block starts with its TIFF header), or empty.
    resolution : pixels per inch across and down, or None.
    native : name of the file's format and the other entries of its header, for a file of the same format.
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
class Compression:
    """How a JPEG was written, as it lies in the upright picture.

    Attributes
    ----------
    luminance, chroma : (8, 8) quantisation steps in 8-bit values, rows are vertical frequencies.
    halved : whether chroma has half the size across or down.
    corner : (x, y) of the first corner of the grid, blocks of 16 px where chroma is halved, else 8 px.
    """

    luminance: np.ndarray
    chroma: np.ndarray
    halved: bool
    corner: tuple[int, int] = (0, 0)


@dataclass(frozen=True, eq=False)
class Mosaic:
    """What the values of a sensor's mosaic mean.

    Attributes
    ----------
    pattern : (2, 2) or (6, 6) uint8, colour of each site, from the picture's corner: 0 red, 1 green, 2 blue.
    black : same shape, value of each site without light.
    white : value at which the sensor clips.
    as_shot : the camera's own multipliers of red, green and blue.
    to_display : 3 x 3, balanced camera colours to linear sRGB.
    xyz_to_camera : 3 x 3, for the white balance.
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

    def _repeat(self, tile: np.ndarray, region: Region) -> np.ndarray:
        """Return one period of the pattern repeated over a region."""
        rows, columns = (np.arange(a, b) % self.period for a, b in ((region[1], region[3]), (region[0], region[2])))
        return tile[rows[:, None], columns[None]]

    def colours(self, region: Region) -> np.ndarray:
        """Return the colour (0, 1, 2) of each site of a region, (h, w) uint8."""
        return self._repeat(self.pattern, region)

    def light(self, native: np.ndarray, region: Region) -> np.ndarray:
        """Return h x w x 1 float32 of a region's native values: 0 black, 1 where the sensor clips."""
        black = self._repeat(self.black, region)[..., None].astype(np.float32)
        return (native.astype(np.float32) - black) / (np.float32(self.white) - black)

    def numbers(self, light: np.ndarray, region: Region) -> np.ndarray:
        """Return h x w x 1 uint16 native values of light; the inverse of `light`, rounded and cut off."""
        black = self._repeat(self.black, region)[..., None].astype(np.float32)
        values = light * (np.float32(self.white) - black) + black
        return np.clip(np.rint(values), 0, np.iinfo(np.uint16).max).astype(np.uint16)


@dataclass(frozen=True, eq=False)
class Source:
    """A picture in its native depth, and what its values mean.

    Attributes
    ----------
    pixels : H x W x 1 or 3, uint8, uint16 or float32; read-only.
    linear : whether values are linear light (steps work in the sRGB curve, see `curve`).
    mosaic : what the pixels (H x W x 1) mean when they are a sensor's, still to be developed.
    alpha : H x W in the same type, or None.
    layers : other planes (H x W) by name, carried through untouched.
    messages : what has to be said when it is opened, a sentence each.
    unkept : what no output keeps of the file, a sentence each.
    telescope : whether it is of a format that telescopes write: linear light, mostly of a dark sky.
    alpha_kind : "straight", "premultiplied" (colours are multiplied by alpha) or "unspecified".
    non_finite : flat indices of the infinite and NaN values of the file, and those values; `pixels` holds 1 and 0 in
        their place. They are written back where no step has changed the pixel.
    exact : the file's own values, where float32 can't hold them all.
    compression : of a JPEG.
    known : (n, 2) int, x and y of pixels that are known to be bad in this camera, or None.
    camera_noise : what is known of the noise of its camera at its ISO, as `NoiseModel.to_json` gives it, or None.
    """

    pixels: np.ndarray
    name: str = ""
    linear: bool = False
    alpha: np.ndarray | None = None
    layers: Mapping[str, np.ndarray] = field(default_factory=dict)
    metadata: Metadata = field(default_factory=Metadata)
    messages: tuple[str, ...] = ()
    unkept: tuple[str, ...] = ()
    mosaic: Mosaic | None = None
    telescope: bool = False
    alpha_kind: str = "straight"
    non_finite: tuple[np.ndarray, np.ndarray] | None = None
    exact: np.ndarray | None = None
    compression: Compression | None = None
    known: np.ndarray | None = None
    camera_noise: Mapping[str, Any] | None = None

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

    @property
    def rendered(self) -> bool:
        """Whether the picture seems to be a renderer's: linear light that no camera and no telescope has seen."""
        return self.linear and self.mosaic is None and not self.metadata.camera and not self.telescope

    @cached_property
    def curve(self) -> FileCurve | None:
        """The tone curve of its colour profile, where values are neither in sRGB's nor light."""
        coded = not self.linear and self.mosaic is None and self.metadata.profile
        return FileCurve.of_profile(self.metadata.profile) if coded else None

    @cached_property
    def hidden(self) -> np.ndarray | None:
        """(H, W) bool, pixels under full transparency whose own colours nobody sees; None for none.

        Colours that are multiplied by alpha are black there, which is what they mean.
        """
        if self.alpha is None or self.alpha_kind == "premultiplied":
            return None
        hidden = self.alpha == 0
        return hidden if hidden.any() else None

    @cached_property
    def shown_pixels(self) -> np.ndarray:
        """The pixels with the colour of their nearest neighbours where they are hidden: what steps work on."""
        return self.pixels if self.hidden is None else fill_hidden(self.pixels, self.hidden)

    @cached_property
    def features(self) -> Features | None:
        """Feature channels among the layers."""
        return Features.of(self.layers, self.pixels.shape[:2]) if self.layers else None

    @cached_property
    def key(self) -> str:
        """A hash of the pixels and of what they mean, the root of every cache key."""
        digest = hashlib.blake2b(digest_size=16)
        digest.update(repr((self.pixels.shape, self.pixels.dtype.str, self.linear)).encode())
        bands = np.array_split(self.pixels, min(max(self.pixels.nbytes // _HASHED_AT_ONCE, 1), self.height))
        with ThreadPoolExecutor() as threads:
            for part in threads.map(lambda band: hashlib.blake2b(np.ascontiguousarray(band).data).digest(), bands):
                digest.update(part)
        if self.mosaic is not None:
            digest.update(self.mosaic.pattern.tobytes() + self.mosaic.black.tobytes())
            digest.update(repr((self.mosaic.white, self.mosaic.as_shot, self.mosaic.to_display.tolist())).encode())
        if self.features is not None:
            for plane in self.features.planes:
                digest.update(plane.tobytes())
        if self.hidden is not None:
            digest.update(np.packbits(self.hidden).data)
        if self.compression is not None:
            digest.update(self.compression.luminance.tobytes() + self.compression.chroma.tobytes())
        return digest.hexdigest()

    def read(self, region: Region) -> np.ndarray:
        """Return working pixels of a region inside the picture: h x w x 3 float32; of a mosaic h x w x 1."""
        x0, y0, x1, y1 = region
        native = self.shown_pixels[y0:y1, x0:x1]
        if self.mosaic is not None:
            return self.mosaic.light(native, region)
        return to_working(native, linear=self.linear)
