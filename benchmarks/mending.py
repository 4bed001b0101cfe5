"""What each Mend step does to photographs with a known defect, beside general libraries, and how fast."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from itertools import product

import cv2
import numpy as np
from PIL import Image
from scipy import ndimage
from training.kinds import as_jpeg

from benchmarks.common import HELD_BACK, console, median_seconds, photographs, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.shift import Shift, displacement
from dustpan.core.picture.curve import decode_curve, encode_curve
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.simulate import camera
from dustpan.simulate.scenes import clean_picture

_LEVEL = 1 / 255
_SPECKS = 300
_TOUCHED = (100, 999), (64, 100), (12, 64)  # levels by which specks have moved the pixels that are counted


@dataclass(frozen=True, eq=False)
class Spoiled:
    """A picture with a defect, without it, and where it is (h x w, what it added)."""

    sound: np.ndarray
    source: Source
    added: np.ndarray


def run() -> None:
    """Print a table for hot pixels and one for the other steps."""
    pictures = [np.asarray(Image.open(p).convert("RGB"), np.float32) / 255 for p in photographs()[4::HELD_BACK]]
    if not pictures:
        console.print("No photographs: set DUSTPAN_PHOTOS to a folder of them. The demo scene alone:")
    demo = clean_picture("bench", size=(1200, 800), dtype=np.float32).pixels[100:612, 300:812]
    pictures.append(np.ascontiguousarray(demo))
    _hot_pixels(pictures)
    _others(pictures)


def mend(source: Source, kind: str, **values) -> np.ndarray:
    """Return a picture mended by one step."""
    engine, step = Engine(source), new_step(kind, kind)
    plan = engine.plan(Document(Route((replace(step, params=replace(step.params, **values)),))))
    return engine.render(plan, (0, 0, *plan.size))


def _stored(picture: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(picture * 255), 0, 255).astype(np.uint8)


def _specks(picture: np.ndarray, kind: str, rng: np.random.Generator, quality: int | None = None) -> Spoiled:
    """Put hot pixels of 64 to 220 levels on a picture with noise of 2, and save it as a JPEG if a quality is given."""
    sound = picture + rng.normal(0, 2 * _LEVEL, picture.shape)
    heights = np.zeros(picture.shape[:2], np.float32)
    rows, columns = (rng.integers(8, n - 8, _SPECKS) for n in heights.shape)
    heights[rows, columns] = rng.uniform(64, 220, _SPECKS) * _LEVEL
    if kind == "single":
        added = np.repeat(heights[..., None], 3, axis=2)
    elif kind == "coloured":
        added = heights[..., None] * np.eye(3)[rng.integers(0, 3, heights.shape)]
    else:
        added = {"bilinear": camera.demosaic_fast, "gradients": camera.demosaic_fine}[kind](heights)
    before, after = _stored(sound), _stored(sound + added)
    touched = ndimage.maximum_filter(heights, 5)
    if quality is None:
        return Spoiled(before / np.float32(255), Source(after), touched)
    before, after = _saved(before, quality), _saved(after, quality)
    return Spoiled(before.pixels / np.float32(255), after, touched)


def _saved(pixels: np.ndarray, quality: int) -> Source:
    stored, compression = as_jpeg(pixels, quality)
    return Source(stored, compression=compression)


def _mended_share(result: np.ndarray, spoiled: Spoiled) -> tuple[float, ...]:
    """Return the shares mended of the pixels of each of `_TOUCHED`, and the share changed of those without a speck."""
    hot = spoiled.source.pixels / np.float32(255)
    change, rest = (np.abs(p - spoiled.sound).max(axis=2) for p in (hot, result))
    good = rest <= np.maximum(change / 3, 10 * _LEVEL)
    classes = [(change >= low * _LEVEL) & (change < high * _LEVEL) for low, high in _TOUCHED]
    moved = (np.abs(result - hot).max(axis=2) > 2 * _LEVEL)[spoiled.added == 0].mean()
    return *(float(good[one].mean()) if one.any() else 1.0 for one in classes), float(moved)


def _hot_pixels(pictures: list[np.ndarray]) -> None:
    ways: dict[str, Callable[[Source], np.ndarray]] = {
        "dustpan": lambda source: mend(source, "hot_pixels"),
        "SciPy median 3 x 3": lambda s: ndimage.median_filter(s.pixels, (3, 3, 1)) / np.float32(255),
        "OpenCV median 5 x 5": lambda s: cv2.medianBlur(s.pixels, 5) / np.float32(255),
    }
    made = table(
        "Hot pixels: touched pixels mended, %, mean (worst); sound ones changed",
        "kind, by",
        "100 levels off and more",
        "64 to 100",
        "12 to 64",
        "sound",
        "s/MP",
    )
    kinds = ("single", "coloured", "bilinear", "gradients")
    for kind, quality in (*product(kinds, (None,)), *product(kinds, (90,))):
        spoiled = [_specks(p, kind, np.random.default_rng(n), quality) for n, p in enumerate(pictures)]
        shown = kind if quality is None else f"{kind}, then JPEG {quality}"
        for name, way in ways.items():
            shares = np.array([_mended_share(way(each.source), each) for each in spoiled])
            seconds = median_seconds(lambda way=way, s=spoiled[0]: way(s.source), 3) / (pictures[0][..., 0].size / 1e6)
            mean, low, high = shares.mean(axis=0), shares.min(axis=0), shares.max(axis=0)
            cells = [f"{100 * mean[n]:.1f} ({100 * low[n]:.1f})" for n in range(len(_TOUCHED))]
            made.add_row(f"{shown}, {name}", *cells, f"{100 * mean[-1]:.2f} ({100 * high[-1]:.2f})", f"{seconds:.2f}")
    console.print(made)


def _others(pictures: list[np.ndarray]) -> None:
    made = table("The other Mend steps: gain over the spoiled picture, dB, mean (worst)", "defect", "gain", "s/MP")
    for name, (kind, values, spoil) in _DEFECTS.items():
        gains = []
        for number, picture in enumerate(pictures):
            sound, source = spoil(picture, np.random.default_rng(number))
            result = mend(source, kind, **values)
            gains.append(psnr(result, sound) - psnr(source.read((0, 0, source.width, source.height)), sound))
        seconds = median_seconds(lambda k=kind, v=values, s=source: mend(s, k, **v), 3) / (sound[..., 0].size / 1e6)
        made.add_row(name, f"{np.mean(gains):.2f} ({np.min(gains):.2f})", f"{seconds:.2f}")
    console.print(made)


def _noisy(picture: np.ndarray, rng: np.random.Generator, levels: float = 5.0) -> np.ndarray:
    return picture + rng.normal(0, levels * _LEVEL, picture.shape)


def _jpeg(quality: int) -> Callable:
    def spoil(picture: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, Source]:
        buffer = io.BytesIO()
        Image.fromarray(_stored(picture)).save(buffer, "JPEG", quality=quality)
        return picture, Source(np.array(Image.open(buffer)))

    return spoil


def _bands(picture: np.ndarray, rng: np.random.Generator, *, width: int = 1) -> tuple[np.ndarray, Source]:
    noisy = _noisy(picture, rng)
    offsets = rng.normal(0, 4 * _LEVEL, (-(-len(picture) // width), 1, 1))
    return noisy, Source(_stored(noisy + np.repeat(offsets, width, axis=0)[: len(picture)]))


def _lines(picture: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, Source]:
    noisy, added = _noisy(picture, rng, 3), np.zeros((len(picture), 1, 1))
    added[5::12] = 6 * _LEVEL
    return noisy, Source(_stored(noisy + added))


def _fireflies(picture: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, Source]:
    light = decode_curve(picture) * rng.normal(1, 0.08, (*picture.shape[:2], 1)).astype(np.float32)
    lit = light.copy()
    rows, columns = (rng.integers(8, n - 8, 350) for n in picture.shape[:2])
    lit[rows, columns] += (10 ** rng.uniform(0, 1.5, (350, 1)) * rng.uniform(0.5, 1, (350, 3))).astype(np.float32)
    return encode_curve(light), Source(lit, linear=True)


def _shifted(picture: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, Source]:
    noisy = _noisy(picture, rng, 2).astype(np.float32)
    height, width = picture.shape[:2]
    moved = noisy.copy()
    for channel, shift in ((0, Shift(1.3, -0.4, 0.8)), (2, Shift(-1.1, 0.6, -0.7))):
        across, down = displacement(shift, (0, 0, width, height), (width, height))
        places = (np.arange(width) - across).astype(np.float32), (np.arange(height)[:, None] - down).astype(np.float32)
        plane = np.ascontiguousarray(noisy[..., channel])
        moved[..., channel] = cv2.remap(plane, *places, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
    return noisy, Source(_stored(moved))


_DEFECTS: dict[str, tuple[str, dict, Callable]] = {
    "blocks, quality 12": ("blocks", {}, _jpeg(12)),
    "blocks, quality 25": ("blocks", {}, _jpeg(25)),
    "blocks, quality 75": ("blocks", {}, _jpeg(75)),
    "bands of 4 levels in rows, noise 5": ("banding", {}, _bands),
    "the same, 5 rows wide": ("banding", {}, partial(_bands, width=5)),
    "the same, 12 rows wide": ("banding", {}, partial(_bands, width=12)),
    "lines of 6 levels, noise 3": ("sensor_lines", {}, _lines),
    "350 fireflies": ("fireflies", {}, _fireflies),
    "red and blue shifted": ("channel_shift", {}, _shifted),
}
