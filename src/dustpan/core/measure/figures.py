"""Figures of a picture for people and programs."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from dustpan.core.measure.model import DISPLAY, TONES, NoiseModel

_STRIP = 256  # rows looked at together


class Readable(Protocol):
    """A picture that can be read in parts and knows its noise."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, px."""

    @property
    def noise(self) -> NoiseModel:
        """The measured noise."""

    def read(self, region: tuple[int, int, int, int]) -> np.ndarray:
        """Return working pixels of a region."""


def measure_picture(picture: Readable) -> dict:
    """Return width, height, noise in 8-bit display levels and clipped shares, as plain values."""
    width, height = picture.size
    noise = picture.noise
    curve = [[round(float(t), 4), round(float(s) * DISPLAY, 4)] for t, s in zip(TONES, noise.sigma[0, 0], strict=True)]
    black, white = clipped_shares(picture)
    return {
        "width": width,
        "height": height,
        "noise": {
            "sigma_luminance": round(noise.luminance, 4),
            "sigma_colour": round(noise.colour, 4),
            "curve": curve,
            "flat_share": round(noise.flat_share, 4),
        },
        "clipped": {"black": black, "white": white},
    }


def clipped_shares(picture: Readable) -> tuple[float, float]:
    """Return the shares of pixels with a channel at black and at white."""
    width, height = picture.size
    black = white = 0
    for top in range(0, height, _STRIP):
        strip = picture.read((0, top, width, min(top + _STRIP, height)))
        black += int((strip <= 0).any(axis=2).sum())
        white += int((strip >= 1).any(axis=2).sum())
    return black / (width * height), white / (width * height)
