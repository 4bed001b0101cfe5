"""Take from a frame what the camera itself has added: bias, dark current, uneven response."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dustpan.core.errors import PictureError
from dustpan.core.kernels.stack import clipped_mean, middle_and_spread

_KAPPA, _TURNS = 3.0, 5
_LEAST_RESPONSE = 0.05  # of a flat, under which a pixel is left out


def master_of(frames: Sequence[np.ndarray]) -> np.ndarray:
    """Return the mean of frames of one kind without outliers, in their own shape.

    Parameters
    ----------
    frames : of one shape, float32.
    """
    if len(frames) == 1:
        return frames[0]
    shape, weights = frames[0].shape, np.ones(len(frames), np.float32)
    flat = [frame.reshape(shape[0], -1) for frame in frames]
    rows = []
    by_frame = np.zeros(len(frames), np.int32)
    for row in range(shape[0]):  # a row at a time, so that the stack stays small
        stack = np.ascontiguousarray(np.stack([plane[row] for plane in flat]), np.float32)
        middle, spread, mean = (np.empty(stack.shape[1], np.float32) for _ in range(3))
        middle_and_spread(stack, weights, middle, spread)
        rejected = np.empty(stack.shape[1], np.int32)
        clipped_mean(stack, weights, middle, spread, np.float32(_KAPPA), _TURNS, mean, rejected, by_frame)
        rows.append(mean)
    return np.stack(rows).reshape(shape)


@dataclass(frozen=True, eq=False)
class Calibration:
    """Masters of the camera's own marks, each in the shape of a frame, or None.

    Attributes
    ----------
    bias : light that is read without any exposure.
    dark : the same after an exposure in the dark.
    dark_seconds : that exposure, or None where it is not known.
    flat : a picture of an even surface.
    """

    bias: np.ndarray | None = None
    dark: np.ndarray | None = None
    dark_seconds: float | None = None
    flat: np.ndarray | None = None

    @property
    def masters(self) -> list[np.ndarray]:
        """The masters that there are."""
        return [plane for plane in (self.bias, self.dark, self.flat) if plane is not None]

    def apply(self, light: np.ndarray, seconds: float | None = None) -> np.ndarray:
        """Return a frame without the camera's marks.

        A dark of another exposure is scaled by the ratio of the exposures, where a bias gives what does not grow.

        Parameters
        ----------
        light : h x w x channels float32, linear.
        seconds : its exposure, or None where it is not known.

        Raises
        ------
        PictureError where a master has another shape.
        """
        if any(plane.shape != light.shape for plane in self.masters):
            raise PictureError(f"calibration frames are not of the size {light.shape[1]} x {light.shape[0]} px.")
        result = light
        if self.dark is not None:
            result = result - self._dark_for(seconds)
        elif self.bias is not None:
            result = result - self.bias
        if self.flat is not None:
            result = result / self._response()
        return result.astype(np.float32, copy=False)

    def _dark_for(self, seconds: float | None) -> np.ndarray:
        assert self.dark is not None
        if self.bias is None or not seconds or not self.dark_seconds:
            return self.dark
        return self.bias + np.float32(seconds / self.dark_seconds) * (self.dark - self.bias)

    def _response(self) -> np.ndarray:
        """Return the flat with a mean of 1 in each channel; of a mosaic, in each of its sites."""
        assert self.flat is not None
        flat = self.flat - (self.bias if self.bias is not None else 0)
        level = np.median(flat, axis=(0, 1), keepdims=True)
        return np.maximum(flat / np.maximum(level, 1e-6), _LEAST_RESPONSE)
