"""Cameras of many kinds: what each makes of a clean picture, with noise and without."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from dustpan.core.filters import mosaic as own
from dustpan.core.filters.colour import from_opponent, to_opponent
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.simulate import camera as simulated
from dustpan.simulate.camera import roll_off

#: Noisy and clean picture, h x w x 3 display tones.
Pair = tuple[np.ndarray, np.ndarray]
_PATTERN = np.array([[0, 1], [1, 2]], np.uint8)


@dataclass(frozen=True)
class Camera:
    """One camera at one setting.

    Attributes
    ----------
    well : electrons at white.
    read_noise : electrons.
    balance : (3,) multipliers of red, green and blue.
    mixing : 0 to 1, how much its filters overlap.
    demosaic : turns a mosaic into h x w x 3, or None for a sensor with three layers.
    knee : light from which the shoulder of its tone curve begins, 1 for none.
    contrast : 0 to 0.5 of an S-shaped curve.
    """

    well: float
    read_noise: float
    balance: np.ndarray
    mixing: float
    demosaic: Callable[[np.ndarray], np.ndarray] | None
    knee: float
    contrast: float


def draw_camera(rng: np.random.Generator) -> Camera:
    """Return a camera by chance."""
    makers = (edge_aware, fast, simulated.demosaic_fine, simulated.demosaic_fast, None)
    return Camera(
        well=float(np.exp(rng.uniform(np.log(15), np.log(30_000)))),
        read_noise=float(rng.uniform(0, 3)),
        balance=np.array([rng.uniform(1.1, 2.4), 1.0, rng.uniform(1.1, 2.6)], np.float32),
        mixing=float(rng.uniform(0, 1)),
        demosaic=makers[rng.choice(5, p=[0.28, 0.16, 0.28, 0.18, 0.10])],
        knee=float(rng.choice([0.55, 0.7, 1.0])),
        contrast=float(rng.uniform(0, 0.5) * (rng.random() < 0.5)),
    )


def photograph(clean: np.ndarray, camera: Camera, rng: np.random.Generator) -> Pair:
    """Return a photograph of a clean picture, and the same without noise."""
    matrix = ((1 - camera.mixing) * np.eye(3) + camera.mixing * simulated.TO_DISPLAY).astype(np.float32)
    sensor = np.clip(decode_curve(clean) @ np.linalg.inv(matrix).T, 0, None) / camera.balance
    planes = _mosaic(sensor) if camera.demosaic else sensor
    electrons = rng.poisson(np.minimum(planes, 1.2) * camera.well).astype(np.float32)
    electrons += camera.read_noise * rng.standard_normal(planes.shape, np.float32)
    both = (electrons / camera.well, planes)
    return tuple(_develop(np.minimum(read, 1).astype(np.float32), camera, matrix) for read in both)  # type: ignore


def _develop(read: np.ndarray, camera: Camera, matrix: np.ndarray) -> np.ndarray:
    colours = camera.demosaic(read) if camera.demosaic else read
    light = np.minimum(colours * camera.balance, 1) @ matrix.T
    if camera.knee < 1:
        light = roll_off(light.astype(np.float32), knee=camera.knee)
    tone = np.clip(encode_curve(light), 0, 1)
    return tone + np.float32(camera.contrast) * (tone * tone * (3 - 2 * tone) - tone)


def _mosaic(sensor: np.ndarray) -> np.ndarray:
    plane = np.empty(sensor.shape[:2], np.float32)
    for (row, column), channel in np.ndenumerate(_PATTERN):
        plane[row::2, column::2] = sensor[row::2, column::2, channel]
    return plane


def _sites(mosaic: np.ndarray) -> np.ndarray:
    return np.tile(_PATTERN, (mosaic.shape[0] // 2 + 1, mosaic.shape[1] // 2 + 1))[: mosaic.shape[0], : mosaic.shape[1]]


def edge_aware(mosaic: np.ndarray) -> np.ndarray:
    """Interpolate a 2 x 2 mosaic along the direction of least change."""
    return own.demosaic_fine(np.ascontiguousarray(mosaic), _sites(mosaic), floor=0.01)


def fast(mosaic: np.ndarray) -> np.ndarray:
    """Interpolate each colour of a 2 x 2 mosaic from its nearest sites."""
    return own.demosaic_fast(np.ascontiguousarray(mosaic), _sites(mosaic))


def process(pair: Pair, rng: np.random.Generator) -> Pair:
    """Return a pair after what cameras do to their pictures by chance: smoothing, sharpening, another size."""
    if rng.random() < 0.25:
        blur = rng.uniform(0.7, 2.5)
        pair = _each(pair, lambda picture: _smooth_colour(picture, blur))
    if rng.random() < 0.15:
        blur, part = rng.uniform(0.5, 1.0), rng.uniform(0.3, 0.8)
        pair = _each(pair, lambda picture: picture + part * (cv2.GaussianBlur(picture, (0, 0), blur) - picture))
    if rng.random() < 0.3:
        radius, amount = rng.uniform(0.6, 1.5), rng.uniform(0.2, 1.2)
        pair = _each(pair, lambda picture: _sharpen(picture, radius, amount))
    if rng.random() < 0.2:
        height, width = (round(side * rng.uniform(0.6, 0.95)) for side in pair[0].shape[:2])
        pair = _each(pair, lambda picture: cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA))
    return pair


def _each(pair: Pair, change: Callable[[np.ndarray], np.ndarray]) -> Pair:
    noisy, clean = (np.clip(change(picture), 0, 1).astype(np.float32) for picture in pair)
    return noisy, clean


def _smooth_colour(picture: np.ndarray, blur: float) -> np.ndarray:
    planes = to_opponent(picture)
    return from_opponent(np.stack([planes[0], *(cv2.GaussianBlur(plane, (0, 0), blur) for plane in planes[1:])]))


def _sharpen(picture: np.ndarray, radius: float, amount: float) -> np.ndarray:
    tone = picture.mean(axis=2)
    return picture + (amount * (tone - cv2.GaussianBlur(tone, (0, 0), radius)))[..., None]
