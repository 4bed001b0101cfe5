"""Draw pictures to learn the correction of cleaning from: noisy, cleaned by the quick engine, and the truth.

    python -m training.cleaned OUT PHOTOS... [--stored jpeg|whole] [--count 6000] [--jobs 1]

Every fifth photograph of a folder is held back. Chunks that are there are not drawn again, and each sample depends on
its number alone.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import NamedTuple

import click
import cv2
import numpy as np

from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.filters.colour import to_opponent, tone_of
from dustpan.core.noise.facts import describe_noise
from dustpan.core.noise.measure import model_of
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from training.chunks import write_chunks
from training.kinds import Spoiled, bytes_of, draw_compressed_kind, draw_whole_kind, stars
from training.pages import draw_page, draw_text
from training.samples import draw_picture, training_files, true_noise
from training.textures import draw_texture

SIDE = 320  # px of a stored part
CHUNK = 24  # samples
_SUBJECTS = (0.62, 0.24, 0.06, 0.05, 0.03)  # photographs, textures, pages, small letters, stars
_FAINTEST = 0.8 / 255  # deviation of noise under which there is nothing to learn


class Cleaned(NamedTuple):
    """A part of a picture, opponent planes (3, SIDE, SIDE) each, and what is known of its noise."""

    noisy: np.ndarray
    cleaned: np.ndarray
    truth: np.ndarray
    sigma: np.ndarray
    facts: np.ndarray


#: How pictures are stored that a network is fitted to, and what draws a kind of noise for them.
STORED = {"jpeg": draw_compressed_kind, "whole": draw_whole_kind}


def draw(number: int, files: tuple[Path, ...], how: str) -> Cleaned | None:
    """Return the sample of a number, or None where there is no noise, or too little of the picture."""
    rng = np.random.default_rng([20261201, number])
    clean = _subject(rng, files)
    made = STORED[how](rng)[1](clean, rng)
    noisy, truth = (_three(to_working(side)) for side in (made.pixels, made.truth.astype(np.float32)))
    if min(noisy.shape[:2]) < SIDE or float(np.std(noisy - truth)) < _FAINTEST:
        return None
    if (made.compression is None) == (how == "jpeg"):
        return None
    engine = Engine(made.source)
    engine = Engine(made.source, noise=_assumed(engine.noise, made, rng))
    params = kinds()["noise"].params_type(
        auto=False, luminance=100.0, colour=100.0, detail_return=0.0, blotch=float(rng.choice([2.0, 3.0]))
    )
    plan = engine.plan(Document(Route((replace(new_step("noise", "noise"), params=params),))))
    cleaned = _three(engine.render(plan, (0, 0, *plan.size)))
    return _part(noisy, cleaned, truth, plan.all_prepared[-1].analysis.field, rng)


def _subject(rng: np.random.Generator, files: tuple[Path, ...]) -> np.ndarray:
    picture = draw_picture(rng, files)
    how = rng.choice(5, p=_SUBJECTS)
    if how == 4:
        return np.ascontiguousarray(np.rot90(stars(picture.shape[:2], int(rng.integers(1e6))), rng.integers(4)))
    return (picture, draw_texture(picture, rng), draw_page(picture, rng), draw_text(picture, rng))[how]


def _assumed(measured: NoiseModel, made: Spoiled, rng: np.random.Generator) -> NoiseModel:
    """Return what the noise is taken for: mostly as measured, else the truth, both perhaps too strong or too weak."""
    model, chance = measured, rng.random()
    if chance < 0.3:
        before = to_working(bytes_of(made.noisy)) if made.compression else to_working(made.pixels)
        model = model_of(prediction_of(true_noise((_three(before), _three(made.truth)))[0]), measured.presence)
    off = np.exp(rng.normal(0, 0.12, 2)) if chance < 0.5 else np.ones(2)
    return model.scaled(luminance=np.full(17, off[0]), colour=np.full(17, off[1]))


def _three(pixels: np.ndarray) -> np.ndarray:
    return np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels


def _part(noisy, cleaned, truth, field, rng: np.random.Generator) -> Cleaned:
    tone = cv2.blur(tone_of(cleaned), (8, 8), borderType=cv2.BORDER_REFLECT)
    sigma = field.sigma(tone, (0, 0, 1, 1))
    y, x = (8 * int(rng.integers(0, (side - SIDE) // 8 + 1)) for side in noisy.shape[:2])
    cut = np.s_[:, y : y + SIDE, x : x + SIDE]
    planes = [to_opponent(side)[cut] for side in (noisy, cleaned, truth)]
    return Cleaned(*planes, sigma[cut], describe_noise(field))


@click.command(help=__doc__.splitlines()[0])
@click.argument("out", type=click.Path(path_type=Path))
@click.argument("photos", type=click.Path(exists=True, file_okay=False, path_type=Path), nargs=-1, required=True)
@click.option("--stored", type=click.Choice(list(STORED)), default="jpeg", show_default=True)
@click.option("--count", default=6000, show_default=True, help="Samples.")
@click.option("--jobs", default=1, show_default=True)
def main(out: Path, photos: tuple[Path, ...], stored: str, count: int, jobs: int) -> None:
    """Write the chunks that are not there yet."""
    draw_one = partial(draw, files=training_files(photos), how=stored)
    write_chunks(count, out, CHUNK, draw_one, jobs=jobs, kind=np.float16)


if __name__ == "__main__":
    main()
