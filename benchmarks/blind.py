"""Cleaning by the noise as measured, beside cleaning by the true noise, for each kind of noise, with both engines.

On photographs that nothing was fitted to; full strengths, no detail given back. Without a folder of photographs it is
the demo scene, which tells less.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PIL import Image
from training.camera import Camera, edge_aware, photograph
from training.samples import as_jpeg, true_noise

from benchmarks.common import HELD_BACK, console, photographs, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, new_step
from dustpan.core.noise.measure import model_of
from dustpan.core.noise.model import NoiseModel
from dustpan.core.noise.prior import told_by
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture

_BALANCE = np.array([1.6, 1.0, 1.9], np.float32)


CAMERA = Camera(160.0, 2.0, _BALANCE, 0.8, edge_aware, 0.7, 0.0)


def white(clean: np.ndarray, rng: np.random.Generator) -> tuple[Source, np.ndarray, bool]:
    noisy = clean + rng.normal(0, 25 / 255, clean.shape)
    return Source(_bytes(noisy)), clean, False


def camera(clean: np.ndarray, rng: np.random.Generator) -> tuple[Source, np.ndarray, bool]:
    noisy, truth = photograph(clean, CAMERA, rng)
    return Source(_bytes(noisy)), truth, False


def camera_jpeg(clean: np.ndarray, rng: np.random.Generator) -> tuple[Source, np.ndarray, bool]:
    noisy, truth = photograph(clean, CAMERA, rng)
    pixels, compression = as_jpeg(_bytes(noisy), 92)
    return Source(pixels, compression=compression), truth, True


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
    source, truth, squeezed = make(clean, np.random.default_rng(seed))
    blind, measured = cleaned(source, "quick")
    targets, _ = true_noise((to_working(source.pixels), truth), squeezed)
    told, _ = cleaned(source, "quick", model_of(told_by(targets), measured.presence))
    thorough, _ = cleaned(source, "thorough")
    return [psnr(pixels, truth) for pixels in (to_working(source.pixels), blind, told, thorough)]


def run() -> None:
    """Print the table."""
    pictures = [to_working(np.asarray(Image.open(path))) for path in photographs()[HELD_BACK - 1 :: HELD_BACK]]
    where = f"{len(pictures)} photographs" if pictures else "the demo scene, for want of photographs"
    pictures = pictures or [clean_picture("bench", size=(768, 512), dtype=np.float32).pixels]
    shown = table(f"Cleaning by measured noise, {where}, dB", "noise", "noisy", "blind", "told", "worst", "thorough")
    for name, make in (("white 25", white), ("camera", camera), ("camera, JPEG 92", camera_jpeg)):
        rows = np.array([figures(picture, make, seed) for seed, picture in enumerate(pictures)])
        mean = rows.mean(axis=0)
        worst = (rows[:, 1] - rows[:, 2]).min()
        shown.add_row(name, f"{mean[0]:.2f}", f"{mean[1]:.2f}", f"{mean[2]:.2f}", f"{worst:+.2f}", f"{mean[3]:.2f}")
    console.print(shown)
