"""Pictures with specks, and the peaks in them that `training.speck_networks` learns from.

Hot pixels of known size are put on photographs, before and after their mosaic is interpolated, single, in clusters,
bright and dark; stars are drawn too, which are none.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, fields
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from dustpan.core.filters import mosaic as own
from dustpan.core.filters.speck_peaks import count_detail, cut_around, describe
from dustpan.core.filters.speck_shapes import TOUCHED, WIDE
from dustpan.core.filters.specks import BRIGHT, standing_out
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.simulate import camera

LEVEL = 1 / 255
_GATE = 10.0  # display values that a peak stands out by
_SPECKS, _STARS, _SPOTS = 350, 250, 150  # in a picture
_SEEN = 20 * LEVEL  # what a speck has to add at its peak
_COMPRESSED = 0.35  # share of the pictures that were saved as JPEG
_HAIR = 256  # px, side of a piece of hair
_RIM = WIDE // 2 + 1  # px from the border that are left out
_PATTERN = np.array([[0, 1], [1, 2]], np.uint8)


@dataclass(frozen=True, eq=False)
class Samples:
    """Peaks of pictures, turned so that they are bright.

    Attributes
    ----------
    patches : (n, WIDE, WIDE, 3) uint8.
    noise : (n,) deviation, of every channel.
    speck : (n,) bool.
    added : (n, TOUCHED, TOUCHED, 3) float16, what a speck has added.
    detail : (n, 5), fine detail around it.
    weight : (n,), how many peaks of its picture it stands for.
    """

    patches: np.ndarray
    noise: np.ndarray
    speck: np.ndarray
    added: np.ndarray
    detail: np.ndarray
    weight: np.ndarray

    @classmethod
    def joined(cls, parts: list[Samples]) -> Samples:
        """Return the peaks of several pictures."""
        names = [field.name for field in fields(cls)]
        return cls(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))

    def __len__(self) -> int:
        return len(self.speck)

    def save(self, path: Path) -> None:
        """Write them whole or not at all."""
        unfinished = path.with_suffix(".part.npz")
        np.savez(unfinished, **{field.name: getattr(self, field.name) for field in fields(self)})
        unfinished.replace(path)

    @classmethod
    def load(cls, path: Path) -> Samples:
        """Return those that `save` has written."""
        with np.load(path) as stored:
            return cls(**stored)

    def among(self, chosen: np.ndarray | slice) -> Samples:
        """Return some of them."""
        return Samples(*(getattr(self, field.name)[chosen] for field in fields(self)))

    def described(self, side: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Return what networks are told of them, see `speck_peaks.describe`."""
        rim = (WIDE - side) // 2
        patches = self.patches[:, rim : WIDE - rim, rim : WIDE - rim].astype(np.float32) / 255
        return describe(patches, np.repeat(self.noise[:, None], 3, axis=1), self.detail)


def draw_peaks(photo: np.ndarray, rng: np.random.Generator) -> Samples:
    """Return the peaks of one picture made of a photograph (h x w x 3 working values)."""
    if rng.random() < 0.25:
        photo = 1 - photo  # dark specks are bright ones of the negative
    if rng.random() < 0.3:
        photo = with_stars(photo if rng.random() < 0.5 else 0.15 * photo, rng)
    if rng.random() < 0.3:
        photo = with_spots(photo, rng)
    if rng.random() < 0.3:
        photo = with_hair(photo, rng)
    deviation = float(rng.uniform(0, 8) * LEVEL)
    make = (_on_mosaic, _on_picture, _interpolated)[rng.choice(3, p=[0.35, 0.35, 0.3])]
    sound, hot = make(photo, deviation, rng)
    if rng.random() < _COMPRESSED:
        quality, sampled = int(rng.integers(80, 100)), int(rng.choice([0, 2]))  # 4:4:4 or 4:2:0
        sound, hot = (_as_jpeg(picture, quality, sampled) for picture in (sound, hot))
    sound, hot = (np.clip(np.rint(p * 255), 0, 255).astype(np.float32) / 255 for p in (sound, hot))
    return _peaks(sound, hot, max(deviation, 2.5 * LEVEL))


def recoloured(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a photograph with its colours exchanged, and paler or deeper, by chance."""
    if rng.random() < 0.4:
        photo = photo[..., rng.permutation(3)]
    if rng.random() < 0.4:
        grey = photo.mean(axis=2, keepdims=True)
        photo = np.clip(grey + np.exp(rng.uniform(-1, 0.6)) * (photo - grey), 0, 1)
    return np.ascontiguousarray(photo, np.float32)


def resized(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a photograph made smaller and sharper by chance: finer texture than it has itself."""
    if rng.random() < 0.5:
        scale = rng.uniform(0.45, 0.95)
        photo = cv2.resize(photo, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        photo = photo[: photo.shape[0] // 2 * 2, : photo.shape[1] // 2 * 2]
    if rng.random() < 0.25:
        amount = rng.uniform(0.3, 1.2)
        photo = np.clip(photo + amount * (photo - cv2.GaussianBlur(photo, (0, 0), rng.uniform(0.6, 1.2))), 0, 1)
    return np.ascontiguousarray(photo, np.float32)


def with_stars(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a picture with points of light that are spread as through a lens."""
    light = decode_curve(photo)
    spread = rng.uniform(0.6, 1.4)
    y, x = np.mgrid[-5:6, -5:6]
    for _ in range(_STARS):
        row, column = rng.integers(6, photo.shape[0] - 6), rng.integers(6, photo.shape[1] - 6)
        dy, dx = rng.uniform(-0.5, 0.5, 2)
        shape = np.exp(-((x - dx) ** 2 + (y - dy) ** 2) / (2 * spread**2))
        colour = np.clip(1 + 0.25 * rng.standard_normal(3), 0.3, 2) * 10 ** rng.uniform(-2, 0.3)
        light[row - 5 : row + 6, column - 5 : column + 6] += shape[..., None] * colour
    return np.minimum(encode_curve(light), 1)


def with_spots(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a picture with small things of other colours, as fallen leaves on grass."""
    light = decode_curve(photo)
    y, x = np.mgrid[-6:7, -6:7]
    for _ in range(_SPOTS):
        row, column = rng.integers(7, photo.shape[0] - 7), rng.integers(7, photo.shape[1] - 7)
        turn, (dy, dx) = rng.uniform(0, np.pi), rng.uniform(-0.5, 0.5, 2)
        along, across = (
            (x - dx) * np.cos(turn) + (y - dy) * np.sin(turn),
            (y - dy) * np.cos(turn) - (x - dx) * np.sin(turn),
        )
        wide, narrow = rng.uniform(0.7, 2.2), rng.uniform(0.6, 1.1)
        shape = np.exp(-((along / wide) ** 2 + (across / narrow) ** 2) / 2)[..., None]
        cover = np.minimum(rng.uniform(0.5, 2) * shape, 1)
        part = light[row - 6 : row + 7, column - 6 : column + 7]
        part += cover * (rng.uniform(0, 1, 3) ** 2 - part)
    return encode_curve(light)


def with_hair(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a picture part of which is covered by hair of one, often deep, colour: fine lines that end and glint."""
    height, width = photo.shape[:2]
    hair = np.tile(_hair(rng), (height // _HAIR + 1, width // _HAIR + 1, 1))[:height, :width]
    cover = cv2.GaussianBlur(rng.normal(0, 1, (height, width)), (0, 0), 40)
    cover = np.clip(cover / cover.std() * 3 + rng.uniform(-2, 2), 0, 1)[..., None]
    light = decode_curve(photo)
    return encode_curve((light + cover * (hair - light)).astype(np.float32))


def _hair(rng: np.random.Generator) -> np.ndarray:
    """Return (_HAIR, _HAIR, 3) light of hair, drawn at twice the size."""
    side = 2 * _HAIR
    colour = rng.uniform(0, 1, 3) ** 2
    hair = np.broadcast_to(np.float32(0.3 * colour), (side, side, 3)).copy()
    turn, spread = rng.uniform(0, np.pi), rng.uniform(0.05, 0.8)
    length, thick = np.exp(rng.uniform(np.log(5), np.log(80))), int(rng.integers(1, 4))
    for x, y in rng.uniform(0, side, (side * side // int(rng.integers(30, 200)), 2)):
        along = rng.normal(turn, spread)
        end = round(x + length * np.cos(along)), round(y + length * np.sin(along))
        shade = float(np.exp(rng.normal(-0.3, 0.7))) * colour + (rng.random() < 0.1) * rng.uniform(0, 0.6)
        cv2.line(hair, (round(x), round(y)), end, [float(v) for v in shade], thick)
    return np.minimum(cv2.resize(hair, (_HAIR, _HAIR), interpolation=cv2.INTER_AREA), 1)


def _sites(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """Return (h, w) heights of hot sites, some in clusters of two to four."""
    heights = np.zeros(shape, np.float32)
    rows, columns = rng.integers(6, shape[0] - 6, _SPECKS), rng.integers(6, shape[1] - 6, _SPECKS)
    for row, column in zip(rows, columns, strict=True):
        height = np.float32(np.exp(rng.uniform(np.log(25), np.log(400))) * LEVEL)
        heights[row, column] = height
        if rng.random() < 0.12:
            for dy, dx in rng.integers(0, 2, (3, 2)):
                heights[row + dy, column + dx] = height * rng.uniform(0.5, 1)
    return heights


def _on_picture(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Specks of all colours on a developed picture."""
    sound = photo + rng.normal(0, deviation, photo.shape)
    heights = _sites(photo.shape[:2], rng)[..., None]
    shape = (*photo.shape[:2], 1)
    tint = np.where(rng.random(shape) < 0.5, rng.uniform(0.6, 1, photo.shape), np.eye(3)[rng.integers(0, 3, shape[:2])])
    return sound, sound + heights * tint


def _interpolated(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Specks as interpolation has smeared them, on a picture that is sharper than interpolation leaves it."""
    sound = photo + rng.normal(0, deviation, photo.shape)
    interpolate = (camera.demosaic_fast, camera.demosaic_fine)[rng.integers(2)]
    gain = rng.uniform(0.8, 1.6, 3)
    return sound, sound + interpolate(_sites(photo.shape[:2], rng)) * gain


def _on_mosaic(photo: np.ndarray, deviation: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Hot sites of a sensor, interpolated and given a tone curve."""
    balance = np.array([rng.uniform(1.1, 2.2), 1.0, rng.uniform(1.1, 2.4)], np.float32)
    interpolate = (camera.demosaic_fast, camera.demosaic_fine, _edge_aware)[rng.integers(3)]
    light = decode_curve(photo) / balance
    plane = np.empty(photo.shape[:2], np.float32)
    for (row, column), colour in np.ndenumerate(_PATTERN):
        plane[row::2, column::2] = light[row::2, column::2, colour]
    plane = plane + rng.normal(0, 0.5 * deviation, plane.shape) * np.sqrt(plane + 0.05)
    hot = np.minimum(plane + _sites(plane.shape, rng) * np.sqrt(plane + 0.05), 1)
    to_display = _colour_matrix(rng)
    developed = (np.minimum(interpolate(p.astype(np.float32)) * balance, 1) @ to_display.T for p in (plane, hot))
    pictures = (encode_curve(np.asarray(light, np.float32)) for light in developed)
    sound, specked = (np.clip(picture, 0, 1) for picture in pictures)
    return sound, specked


def _colour_matrix(rng: np.random.Generator) -> np.ndarray:
    """Return 3 x 3 camera colours to display colours: filters overlap, so a hot site darkens the other channels."""
    strength = rng.uniform(0, 0.35, (3, 3)) * (rng.random() < 0.7)
    matrix = -strength * rng.uniform(0.1, 1, (3, 3))
    np.fill_diagonal(matrix, 0)
    return (np.eye(3) * (1 - matrix.sum(axis=1)) + matrix).astype(np.float32)


def _edge_aware(plane: np.ndarray) -> np.ndarray:
    colours = np.tile(_PATTERN, (plane.shape[0] // 2, plane.shape[1] // 2))
    return own.demosaic_fine(plane, colours, floor=0.02)


def _as_jpeg(picture: np.ndarray, quality: int, sampled: int) -> np.ndarray:
    buffer, stored = io.BytesIO(), Image.fromarray(np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8))
    stored.save(buffer, "JPEG", quality=quality, subsampling=sampled)
    return np.asarray(Image.open(buffer), np.float32) / 255


def _peaks(sound: np.ndarray, hot: np.ndarray, deviation: float) -> Samples:
    """Return the peaks of a picture with specks; what is neither clearly a speck nor clearly none is left out."""
    sigma = np.full((3, *hot.shape[:2]), deviation, np.float32)
    gate = max(_GATE * LEVEL / deviation, 3.5)
    points = np.argwhere(standing_out(hot, sigma, np.float32(gate), BRIGHT, coloured=True) > 0)
    points = points[((points >= _RIM) & (points < np.array(hot.shape[:2]) - _RIM)).all(axis=1)]
    added = hot - sound
    around, peak, here = (
        plane[tuple(points.T)]
        for plane in (
            cv2.dilate(np.abs(added).max(axis=2), np.ones((TOUCHED + 2, TOUCHED + 2), np.uint8)),
            cv2.dilate(added.max(axis=2), np.ones((TOUCHED, TOUCHED), np.uint8)),
            added.max(axis=2),
        )
    )
    speck = (here >= _SEEN) & (here >= 0.7 * peak)
    clear = speck | (around < 3 * LEVEL) | ((here < 0.5 * peak) & (peak > _SEEN))
    points, speck = points[clear], speck[clear]
    return Samples(
        np.rint(cut_around(hot, points, WIDE) * 255).astype(np.uint8),
        np.full(len(points), deviation, np.float32),
        speck,
        (cut_around(added, points, TOUCHED) * speck[:, None, None, None]).astype(np.float16),
        count_detail(hot, points),
        np.ones(len(points), np.float32),
    )


def gather(paths: Sequence[Path], rounds: int, seed: int, keep: Callable[[Samples], Samples]) -> Samples:
    """Return the peaks that `keep` leaves of so many pictures made of each photograph."""
    with ProcessPoolExecutor() as pool:
        made = pool.map(partial(_of_photograph, rounds=rounds, seed=seed, keep=keep), enumerate(paths))
        return Samples.joined(list(made))


def _of_photograph(numbered: tuple[int, Path], rounds: int, seed: int, keep: Callable[[Samples], Samples]) -> Samples:
    number, path = numbered
    photo = np.asarray(Image.open(path).convert("RGB"), np.float32) / 255
    parts = []
    for turn in range(rounds):
        rng = np.random.default_rng([seed, number, turn])
        parts.append(keep(draw_peaks(recoloured(resized(photo, rng), rng), rng)))
    return Samples.joined(parts)
