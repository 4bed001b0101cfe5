"""Draw samples to learn from: descriptions of noisy pictures, and the noise that is truly in them.

    python -m training.samples OUT PHOTOS... [--count 17000] [--jobs 2]

Every fifth photograph of a folder is held back. Samples are written in chunks; a chunk that is there is not drawn
again, and each depends on its number alone, so that the work can be interrupted, and repeated.
"""

from __future__ import annotations

from functools import cache, partial
from pathlib import Path
from typing import NamedTuple

import click
import cv2
import numpy as np
from PIL import Image

from dustpan.core.filters.dct import block_transform
from dustpan.core.noise.measure import describe_picture
from dustpan.core.noise.measured_blocks import (
    CLIPPED,
    CUT,
    LEAST_OF_TONE,
    LEAST_WHOLE,
    halve_planes,
    planes_of,
    tone_bins,
)
from dustpan.core.noise.model import PAIRS, TONES
from dustpan.core.noise.prior import TARGET_FLOOR
from dustpan.core.picture.curve import is_clipped
from dustpan.core.picture.working import to_working
from training.camera import Pair
from training.chunks import write_chunks
from training.kinds import FAMILIES, bytes_of, draw_kind, draw_rare_kind
from training.pages import draw_page, draw_text
from training.textures import draw_texture

CHUNK = 40  # samples
_HELD_BACK = 5
TEXTURED_FROM, _TEXTURED = 7280, 0.6  # number of the first sample, and share of those from it on, of drawn textures
RARE_FROM = 9560  # number of the first sample of which more are of pages, and of kinds that are seldom drawn
_PAGES, _STILL_TEXTURED, _RARE = 0.3, 0.25, 0.35  # shares of those from it on
TEXTS_FROM, _TEXTS = 15560, 0.6  # number of the first sample, and share of those from it on, of pages of small letters
_LEVELS = 3


class Sample(NamedTuple):
    """What is learned from.

    Attributes
    ----------
    inputs : description of a picture.
    targets : logarithms of the true powers (levels, planes, coefficients), of each tone's beside the mean; then the
        correlations of the planes.
    facts : kind of noise, whether a JPEG, deviation of luminance in display values.
    """

    inputs: np.ndarray
    targets: np.ndarray
    facts: np.ndarray


def draw(number: int, files: tuple[Path, ...]) -> Sample | None:
    """Return the sample of a number, or None where it can't be described."""
    rng = np.random.default_rng([20261126, number])
    clean = _draw_subject(number, rng, files)
    rare = number >= RARE_FROM and rng.random() < _RARE
    family, kind = draw_rare_kind(rng) if rare else draw_kind(rng)
    made = kind(clean, rng)
    shown = to_working(made.pixels)
    description = describe_picture([shown], made.compression if rng.random() < 0.75 else None)
    if description is None:
        return None
    before = shown if made.compression is None else to_working(bytes_of(made.noisy))
    truth = made.truth if made.truth.shape[2] == 3 else np.repeat(made.truth, 3, axis=2)
    targets, deviation = true_noise((before, truth))
    return Sample(description, targets, np.array([FAMILIES.index(family), made.compression is not None, deviation]))


def _draw_subject(number: int, rng: np.random.Generator, files: tuple[Path, ...]) -> np.ndarray:
    """Return a clean picture: each later run of numbers holds more of what the earlier ones are poor in."""
    picture = draw_picture(rng, files)
    if number >= TEXTS_FROM and rng.random() < _TEXTS:
        return draw_text(picture, rng)
    if number >= RARE_FROM:
        chance = rng.random()
        if chance < _PAGES:
            return draw_page(picture, rng)
        return draw_texture(picture, rng) if chance < _PAGES + _STILL_TEXTURED else picture
    if number >= TEXTURED_FROM and rng.random() < _TEXTURED:
        return draw_texture(picture, rng)
    return picture


@cache
def _load(file: Path) -> np.ndarray:
    return np.asarray(Image.open(file).convert("RGB"), np.float32) / 255


def draw_picture(rng: np.random.Generator, files: tuple[Path, ...]) -> np.ndarray:
    """Return a clean picture: a photograph cut, turned, blurred and exposed by chance, or now and then a plain one."""
    if rng.random() < 0.06:
        return _draw_plain(rng)
    photo = _load(files[rng.integers(len(files))])
    side = int(rng.integers(288, min(photo.shape[:2]) + 1)) // 2 * 2
    y, x = (int(rng.integers(0, length - side + 1)) for length in photo.shape[:2])
    photo = np.rot90(photo[y : y + side, x : x + side], rng.integers(4))
    photo = np.ascontiguousarray(photo[:, ::-1] if rng.random() < 0.5 else photo)
    if side < 448 and rng.random() < 0.6:
        photo = cv2.resize(photo, (512, 512), interpolation=cv2.INTER_CUBIC)
    if rng.random() < 0.4:
        photo = cv2.GaussianBlur(photo, (0, 0), rng.uniform(0.4, 1.6))
    tone = np.clip(photo, 0, 1) ** np.float32(np.exp(rng.normal(0, 0.35)))
    grey = tone.mean(axis=2, keepdims=True)
    return np.clip((grey + rng.uniform(0, 1.6) * (tone - grey)) * rng.uniform(0.25, 1.2), 0, 1).astype(np.float32)


def _draw_plain(rng: np.random.Generator) -> np.ndarray:
    """Return a smooth picture, as skies and walls are."""
    coarse = rng.uniform(0, 1, (*rng.integers(2, 6, 2), 3)).astype(np.float32)
    return np.clip(cv2.resize(coarse, (448, 448), interpolation=cv2.INTER_CUBIC), 0, 1)


def true_noise(pair: Pair) -> tuple[np.ndarray, float]:
    """Return the targets for a noisy and a clean picture, and the deviation of luminance in display values.

    The noise of a compressed picture is the one before the compression: what is left of it in its calm blocks, where
    most coefficients are rounded to nothing, is too little to clean the others by.
    """
    planes = [planes_of(picture) for picture in pair]
    powers, correlations = [], []
    for level in range(_LEVELS):
        noise, tones, others = _noise_blocks(planes)
        powers.append((noise**2).mean(axis=0) if len(noise) else powers[-1] / 4)
        correlations.append(_correlation(noise) if len(noise) else correlations[-1])
        if level == 0:
            curve = _over_tone(noise**2, tones, others)
        planes = [halve_planes(side) for side in planes]
    logs = np.log(np.stack(powers).reshape(_LEVELS, 3, 64)[:, :, 1:] + TARGET_FLOOR)
    deviation = 255 * float(powers[0].reshape(3, 64)[0, 1:].mean()) ** 0.5
    return np.concatenate([logs.ravel(), curve.ravel(), np.ravel(correlations)]).astype(np.float32), deviation


def _correlation(noise: np.ndarray) -> np.ndarray:
    """Return (3,) correlations of the planes of (N, 3, 8, 8) coefficients; none where there is hardly any noise."""
    planes = np.moveaxis(noise, 1, 0).reshape(3, -1, 64)[:, :, 1:].reshape(3, -1).astype(np.float64)
    power = (planes**2).mean(axis=1) + TARGET_FLOOR
    return np.array([(planes[p] * planes[q]).mean() / np.sqrt(power[p] * power[q]) for p, q in PAIRS])


class _Others(NamedTuple):
    """Power of the noise where it is cut off, (N, 3, 8, 8), and the tones of these blocks."""

    power: np.ndarray
    tones: np.ndarray


def _noise_blocks(planes: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray, _Others]:
    """Return (N, 3, 8, 8) coefficients of the noise in the blocks where it is not cut off, their tones, and the others.

    The others are those of tones at which hardly any block has all its noise.
    """
    noisy, clean = (_cut(side) for side in planes)
    live = noisy[:, 3].mean(axis=(1, 2)) < CUT
    if live.mean() < LEAST_WHOLE:
        live = is_clipped(noisy[:, 0] / 3**0.5).mean(axis=(1, 2)) < CLIPPED
    if not live.any():
        live[:] = True
    noisy, clean = noisy[:, :3], clean[:, :3]
    tones = clean[:, 0].mean(axis=(1, 2)) / 3**0.5
    bins = tone_bins(tones)
    share = np.bincount(bins, live, len(TONES)) / np.maximum(np.bincount(bins, minlength=len(TONES)), 1)
    seen = is_clipped(noisy[:, 0] / 3**0.5).mean(axis=(1, 2)) < CLIPPED
    other = seen & ~live & (share < LEAST_OF_TONE)[bins]
    others = _Others(block_transform(noisy[other] - clean[other]) ** 2, tones[other])
    return block_transform(noisy[live] - clean[live]), tones[live], others


def _cut(planes: np.ndarray) -> np.ndarray:
    rows, columns = planes.shape[1] // 8, planes.shape[2] // 8
    cut = planes[:, : rows * 8, : columns * 8].reshape(len(planes), rows, 8, columns, 8)
    return cut.transpose(1, 3, 0, 2, 4).reshape(-1, len(planes), 8, 8)


def _over_tone(power: np.ndarray, tones: np.ndarray, others: _Others) -> np.ndarray:
    """Return (3, 17) logarithms of the power at each tone beside the mean; rare tones take their neighbours'."""
    whole = power.reshape(-1, 3, 64)[:, :, 1:].mean(axis=(0, 2))
    mean = np.concatenate([power, others.power]).reshape(-1, 3, 64)[:, :, 1:].mean(axis=2)
    bins = tone_bins(np.concatenate([tones, others.tones]))
    distance = np.arange(len(TONES))[:, None] - np.arange(len(TONES))
    counts = np.bincount(bins, minlength=len(TONES)).astype(float)
    sums = np.stack([np.bincount(bins, plane, len(TONES)) for plane in mean.T])
    weight = np.exp(-0.5 * (distance / 0.5) ** 2) + 1e-3 * np.exp(-0.5 * (distance / 2.0) ** 2) + 1e-9
    over = (sums @ weight.T) / np.maximum(weight @ counts, 1e-12)
    return np.log(over + TARGET_FLOOR) - np.log(whole + TARGET_FLOOR)[:, None]


def training_files(folders: tuple[Path, ...]) -> tuple[Path, ...]:
    """Return the pictures of folders without those that are held back."""
    names = [
        sorted(file for pattern in ("*.png", "*.jpg", "*.tif") for file in folder.glob(pattern)) for folder in folders
    ]
    return tuple(file for folder in names for n, file in enumerate(folder, 1) if n % _HELD_BACK)


@click.command(help=__doc__.splitlines()[0])
@click.argument("out", type=click.Path(path_type=Path))
@click.argument("photos", type=click.Path(exists=True, file_okay=False, path_type=Path), nargs=-1, required=True)
@click.option("--count", default=17000, show_default=True, help="Those that the shipped weights were fitted to.")
@click.option("--jobs", default=2)
def main(out: Path, photos: tuple[Path, ...], count: int, jobs: int) -> None:
    """Write the chunks that are not there yet."""
    write_chunks(count, out, CHUNK, partial(draw, files=training_files(photos)), jobs=jobs)


if __name__ == "__main__":
    main()
