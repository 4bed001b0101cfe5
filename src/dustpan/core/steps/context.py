"""What a step may know beside its tile."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters.planes import sample_plane
from dustpan.core.noise.fields import NoiseField
from dustpan.core.picture.features import Features
from dustpan.core.picture.region import Ends, Region, Size, extent_of
from dustpan.core.picture.source import Mosaic
from dustpan.core.work.cancel import Check, no_check

_SIGMA_STEP = 4  # px between the points at which noise is looked up


@dataclass(frozen=True, eq=False)
class Context:
    """What `apply` may know beside its tile.

    Attributes
    ----------
    noise : the noise at the step's input.
    size : width and height of the picture the regions are counted in (smaller in a draft).
    level : the picture is reduced by 2 ** level; 0 when exact.
    mosaic : of the sensor, before development; its tiles are h x w x 1.
    features : feature channels of a rendered picture, at full size.
    known : (n, 2), x and y of bad pixels that are known of the camera, or None.
    check : to be called now and then; raises Cancelled when the result is no longer wanted.
    """

    noise: NoiseField
    size: Size
    level: int = 0
    check: Check = no_check
    mosaic: Mosaic | None = None
    features: Features | None = None
    known: np.ndarray | None = None

    def ends(self, region: Region) -> Ends:
        """Return whether the picture ends at a region's left, top, right and lower side."""
        return region[0] <= 0, region[1] <= 0, region[2] >= self.size[0], region[3] >= self.size[1]

    def sample(self, plane: np.ndarray, region: Region, shape: tuple[int, int]) -> np.ndarray:
        """Sample a plane that covers the whole picture at `shape` points spread over a region."""
        return sample_plane(plane, extent_of(region, self.size), shape)

    def sigma(self, tone: np.ndarray, region: Region, *, scale: int = 0) -> np.ndarray:
        """Return (3, h, w) deviations of the noise for a plane of tones spread over a region."""
        return self.noise.sigma(tone, extent_of(region, self.size), level=self.level + scale)

    def channel_sigma(self, tone: np.ndarray, region: Region) -> np.ndarray:
        """Return (3, h, w) deviations of red, green and blue noise for a plane of tones spread over a region."""
        return self.noise.channel_sigma(tone, extent_of(region, self.size))

    def coarse_sigma(self, tone: np.ndarray, region: Region) -> np.ndarray:
        """Return what `sigma` does, looked up at every fourth pixel only: noise changes slowly over a picture.

        The region starts at a multiple of 4, as tiles do, so that tiles agree where they overlap.
        """
        return repeat_points(self.sigma(smooth_points(tone), region), tone.shape)

    def sigma_at(self, tone: np.ndarray, region: Region, *, scale: float) -> np.ndarray:
        """Return what `coarse_sigma` does for the picture reduced by 2 ** scale, interpolated between two levels."""
        points, low = smooth_points(tone), int(scale)
        lower, upper = (np.maximum(self.sigma(points, region, scale=low + n), 1e-9) for n in (0, 1))
        return repeat_points(lower * (upper / lower) ** np.float32(scale - low), tone.shape)

    def spectrum(self, scale: int = 0) -> np.ndarray:
        """Return (3, 8, 8) relative deviations of the block coefficients at a scale."""
        spectra = self.noise.spectrum
        return spectra[min(self.level + scale, len(spectra) - 1)]


def smooth_points(tone: np.ndarray) -> np.ndarray:
    """Return the smoothed tone at every fourth pixel."""
    return cv2.blur(tone, (9, 9), borderType=cv2.BORDER_REFLECT)[::_SIGMA_STEP, ::_SIGMA_STEP]


def repeat_points(coarse: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Return (n, h, w) planes of which (n, h / 4, w / 4) holds every fourth pixel."""
    full = np.repeat(np.repeat(coarse, _SIGMA_STEP, axis=2), _SIGMA_STEP, axis=1)
    return full[:, : shape[0], : shape[1]]
