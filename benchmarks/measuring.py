"""How near the measured noise comes to the noise put on: white noise of known deviation, on photographs.

The truth is the deviation of the noise that was put on, with that of rounding to 8 bits, before black and white cut it
off. The photographs are those that nothing was fitted to. Without a folder of them it is the demo scene, which tells
less.
"""

from __future__ import annotations

import numpy as np
from PIL import Image

from benchmarks.common import HELD_BACK, console, photographs, table
from dustpan.core.noise.measure import estimate_noise
from dustpan.core.picture.working import from_working, to_working
from dustpan.simulate.scenes import clean_picture

SIGMAS = (3, 5, 10, 15, 20, 30)  # display values
DISPLAY = 255


def with_noise(photo: np.ndarray, sigma: float, seed: int) -> np.ndarray:
    """Return working pixels with white noise on them, as an 8-bit file holds them."""
    noise = np.random.default_rng(seed).normal(0, sigma / DISPLAY, photo.shape)
    return to_working(from_working((photo + noise).astype(np.float32), dtype=np.uint8))


def errors(photo: np.ndarray, sigma: float, seed: int) -> tuple[float, float]:
    """Return by how many percent the noise of luminance and of colour is measured too high."""
    model, truth = estimate_noise([with_noise(photo, sigma, seed)]), (sigma**2 + 1 / 12) ** 0.5
    return 100 * (model.luminance / truth - 1), 100 * (model.colour / truth - 1)


def run() -> None:
    """Print the table."""
    pictures = [np.asarray(Image.open(path)) for path in photographs()[HELD_BACK - 1 :: HELD_BACK]]
    where = f"{len(pictures)} photographs" if pictures else "the demo scene, for want of photographs"
    pictures = pictures or [clean_picture("bench", size=(1024, 768), dtype=np.uint8).pixels]
    shown = table(
        f"White noise measured on {where}, error in %", "sigma", "luminance, median", "worst", "colour, median", "worst"
    )
    for sigma in SIGMAS:
        found = np.array([errors(to_working(p), sigma, seed) for seed, p in enumerate(pictures)])
        middle, worst = np.median(found, axis=0), found[np.abs(found).argmax(axis=0), [0, 1]]
        shown.add_row(f"{sigma}", *(f"{value:+.1f}" for pair in zip(middle, worst) for value in pair))
    console.print(shown)
