"""The noise that cleaning assumes in each window, beside fixed factors, told the true noise, on many kinds of noise.

The photographs are those that nothing was fitted to.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial

import numpy as np
from training.camera import Camera, edge_aware, photograph

from benchmarks.blind import Case, cleaned, pictures
from benchmarks.common import console, psnr, table
from dustpan.core.filters import assumed, quick
from dustpan.core.noise.measure import model_of
from dustpan.core.noise.prior import prediction_of
from dustpan.core.picture.source import Source

_FIXED = {"as told": ((1.0, 1.0), 0.05), "stronger": ((1.13, 1.4), 1.0)}  # luminance, colour; least of the spectrum
_BALANCE = np.array([1.9, 1.0, 1.5], np.float32)


def _white(clean: np.ndarray, seed: int, *, levels: float) -> Case:
    noisy = clean + np.random.default_rng(seed).normal(0, levels / 255, clean.shape)
    return Case(Source(_bytes(noisy)), clean, noisy)


def _camera(clean: np.ndarray, seed: int, *, electrons: float) -> Case:
    made = Camera(electrons, 2.0, _BALANCE, 0.6, edge_aware, 0.7, 0.0)
    noisy, truth = photograph(clean, made, np.random.default_rng(seed))
    return Case(Source(_bytes(noisy)), truth, noisy)


def _bytes(pixels: np.ndarray) -> np.ndarray:
    return np.clip(np.rint(pixels * 255), 0, 255).astype(np.uint8)


CASES: dict[str, Callable[[np.ndarray, int], Case]] = {
    **{f"white {levels}": partial(_white, levels=levels) for levels in (5, 15, 30)},
    **{f"camera, {well} electrons": partial(_camera, electrons=well) for well in (150, 600, 2400)},
}


@contextmanager
def _fixed(factors: tuple[float, float], least: float) -> Iterator[None]:
    """Clean with fixed factors of luminance and colour noise."""
    kept = assumed.LEAST_SPECTRUM
    by_plane = np.array([factors[0], factors[1], factors[1]], np.float32)[:, None, None]
    quick.assume_noise, assumed.LEAST_SPECTRUM = lambda plane, sigma, *rest, **how: sigma * by_plane, least
    try:
        yield
    finally:
        quick.assume_noise, assumed.LEAST_SPECTRUM = assumed.assume_noise, kept


def run() -> None:
    """Print the table."""
    photos = pictures()
    shown = table(f"Noise assumed, {len(photos)} pictures, dB", "noise", *_FIXED, "by window", "worst beside better")
    for name, make in CASES.items():
        rows = []
        for seed, picture in enumerate(photos):
            case = make(picture, seed)
            told = model_of(prediction_of(case.true_noise), np.full(17, 1 / 17, np.float32))
            row = []
            for factors, least in _FIXED.values():
                with _fixed(factors, least):
                    row.append(psnr(cleaned(case.source, "quick", told)[0], case.truth))
            rows.append([*row, psnr(cleaned(case.source, "quick", told)[0], case.truth)])
        found = np.array(rows)
        worst = (found[:, 2] - found[:, :2].max(axis=1)).min()
        shown.add_row(name, *(f"{value:.2f}" for value in found.mean(axis=0)), f"{worst:+.2f}")
    console.print(shown)
