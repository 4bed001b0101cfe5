"""Cleaning by the noise as measured, beside cleaning by the true noise, for each kind of noise, with both engines.

On photographs that nothing was fitted to; full strengths, no detail given back. Without a folder of photographs it is
the demo scene, which tells less.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np
from PIL import Image
from training.camera import Camera, edge_aware, photograph
from training.kinds import as_jpeg
from training.samples import true_noise

from benchmarks.common import HELD_BACK, console, photographs, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.noise.measure import model_of
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture

_BALANCE = np.array([1.6, 1.0, 1.9], np.float32)


class Case(NamedTuple):
    """A noisy picture, the truth, and the noisy pixels before they were stored, which may lie outside 0 to 1."""

    source: Source
    truth: np.ndarray
    noisy: np.ndarray

    @property
    def true_noise(self) -> np.ndarray:
        """What `prior` should tell."""
        return true_noise((to_working(_bytes(self.noisy)), self.truth))[0]


CAMERA = Camera(160.0, 2.0, _BALANCE, 0.8, edge_aware, 0.7, 0.0)


def white(clean: np.ndarray, rng: np.random.Generator) -> Case:
    noisy = clean + rng.normal(0, 25 / 255, clean.shape)
    return Case(Source(_bytes(noisy)), clean, noisy)


def camera(clean: np.ndarray, rng: np.random.Generator) -> Case:
    noisy, truth = photograph(clean, CAMERA, rng)
    return Case(Source(_bytes(noisy)), truth, noisy)


def camera_jpeg(clean: np.ndarray, rng: np.random.Generator) -> Case:
    noisy, truth = photograph(clean, CAMERA, rng)
    pixels, compression = as_jpeg(_bytes(noisy), 92)
    return Case(Source(pixels, compression=compression), truth, noisy)


def _bytes(pixels: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(pixels * 255), 0, 255).astype(np.uint8)


def cleaned(source: Source, engine: str, noise: NoiseModel | None = None) -> tuple[np.ndarray, NoiseModel]:
    """Return the picture cleaned at full strengths, and the noise that was assumed."""
    params = kinds()["noise"].params_type(
        auto=False, luminance=100.0, colour=100.0, detail_return=0.0, blotch=2.0, engine=engine
    )
    made = Engine(source, noise=noise)
    plan = made.plan(Document(Route((replace(new_step("noise", "noise"), params=params),))))
    return made.render(plan, (0, 0, *plan.size)), made.noise


def figures(clean: np.ndarray, make, seed: int) -> list[float]:
    """Return PSNR of the noisy picture, blind and told, of the quick engine; blind of the thorough one."""
    case = make(clean, np.random.default_rng(seed))
    blind, measured = cleaned(case.source, "quick")
    told, _ = cleaned(case.source, "quick", model_of(prediction_of(case.true_noise), measured.presence))
    thorough, _ = cleaned(case.source, "thorough")
    return [psnr(pixels, case.truth) for pixels in (to_working(case.source.pixels), blind, told, thorough)]


def pictures() -> list[np.ndarray]:
    """Return the photographs that are held back, or the demo scene."""
    found = [to_working(np.asarray(Image.open(path))) for path in photographs()[HELD_BACK - 1 :: HELD_BACK]]
    return found or [clean_picture("bench", size=(768, 512), dtype=np.float32).pixels]


def run() -> None:
    """Print the table."""
    photos = pictures()
    where = f"{len(photos)} pictures"
    shown = table(f"Cleaning by measured noise, {where}, dB", "noise", "noisy", "blind", "told", "worst", "thorough")
    for name, make in (("white 25", white), ("camera", camera), ("camera, JPEG 92", camera_jpeg)):
        rows = np.array([figures(picture, make, seed) for seed, picture in enumerate(photos)])
        mean = rows.mean(axis=0)
        worst = (rows[:, 1] - rows[:, 2]).min()
        shown.add_row(name, f"{mean[0]:.2f}", f"{mean[1]:.2f}", f"{mean[2]:.2f}", f"{worst:+.2f}", f"{mean[3]:.2f}")
    console.print(shown)
