"""Drawn textures that fill a picture: blades, stones, leaves, layers. Photographs hold too few to learn from."""

from __future__ import annotations

import cv2
import numpy as np


def draw_texture(picture: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a texture of a picture's size and colours (h x w x 3, 0 to 1), over all of it or over a part."""
    make = (_blades, _stones, _leaves, _layers)[rng.integers(4)]
    plane = make(picture.shape[:2], rng)
    plane = cv2.GaussianBlur(plane, (0, 0), float(rng.uniform(0.3, 1.2)))
    plane = (plane - plane.mean()) / max(float(plane.std()), 1e-6)
    ground = cv2.GaussianBlur(picture, (0, 0), float(rng.uniform(4, 30)))
    colour = 1 + rng.normal(0, 0.15, 3) * (rng.random() < 0.6)
    strength = np.float32(np.exp(rng.uniform(np.log(0.02), np.log(0.22))))
    textured = ground + (strength * plane)[..., None] * colour.astype(np.float32)
    if rng.random() < 0.4:
        where = cv2.GaussianBlur(rng.standard_normal(plane.shape).astype(np.float32), (0, 0), 40.0)[..., None] > 0
        textured = np.where(where, textured, picture)
    return np.clip(textured, 0, 1).astype(np.float32)


def _blades(size: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    plane = np.full((2 * size[0], 2 * size[1]), 0.2, np.float32)
    count, length = int(rng.uniform(0.02, 0.07) * plane.size), float(rng.uniform(8, 40))
    turn = rng.normal(rng.uniform(0, np.pi), rng.uniform(0.1, 0.8), count)
    starts = np.stack([rng.uniform(0, plane.shape[1], count), rng.uniform(0, plane.shape[0], count)], axis=1)
    ends = starts + length * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    for (x, y), (u, v), tone in zip(starts.round().astype(int), ends.round().astype(int), rng.random(count)):
        cv2.line(plane, (int(x), int(y)), (int(u), int(v)), 0.2 + 0.7 * float(tone))
    return cv2.resize(plane, size[::-1], interpolation=cv2.INTER_AREA)


def _stones(size: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    plane, largest = np.full(size, 0.3, np.float32), float(rng.uniform(4, 16))
    count = int(3 * plane.size / largest**2)
    places = np.stack([rng.uniform(0, size[1], count), rng.uniform(0, size[0], count)], axis=1)
    axes = rng.uniform(1.5, largest, (count, 2)) * (1, rng.uniform(0.4, 1))
    for at, half, turn, tone in zip(places, axes, rng.uniform(0, 180, count), rng.uniform(0.1, 0.9, count)):
        cv2.ellipse(plane, (at.tolist(), (2 * half).tolist(), turn), float(tone), -1)
    return plane


def _leaves(size: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """Discs of a wide range of sizes that hide one another, as in a dead-leaves model."""
    plane = np.full(size, 0.5, np.float32)
    count = int(plane.size / 25)
    radii = np.minimum(1.5 / np.sqrt(rng.uniform(1e-3, 1, count)), 40)
    for radius, tone in zip(radii, rng.uniform(0, 1, count)):
        at = int(rng.integers(size[1])), int(rng.integers(size[0]))
        cv2.circle(plane, at, max(round(float(radius)), 1), float(tone), -1)
    return plane


def _layers(size: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """Fine and coarse structure in layers, stronger in some places."""
    plane = np.zeros(size, np.float32)
    for blur in (0.7, 1.5, 3.0, 6.0):
        layer = cv2.GaussianBlur(rng.standard_normal(size).astype(np.float32), (0, 0), blur)
        plane += layer / layer.std() * np.float32(blur ** rng.uniform(0, 1))
    place = cv2.GaussianBlur(rng.standard_normal(size).astype(np.float32), (0, 0), float(rng.uniform(6, 25)))
    return plane * np.exp(rng.uniform(0.3, 1.0) * place / place.std())
