"""The quick engine beside two general libraries, on white noise of known strength, in one run."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from skimage.restoration import denoise_wavelet

from benchmarks.common import console, median_seconds, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.document.route import Route, Step
from dustpan.core.noise.model import NoiseModel
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.render.grid import block_regions
from dustpan.core.steps import kinds
from dustpan.simulate.scenes import clean_picture

SIZE = (1200, 800)
_MEASURED: dict[float, NoiseModel] = {}


def quick(noisy: np.ndarray, levels: float) -> np.ndarray:
    """Blind cleaning at full strengths, its blocks spread over all cores; measured in the run that warms up."""
    kind = kinds()["noise"]
    params = kind.params_type(auto=False, luminance=100.0, colour=100.0, blotch=2.0, detail_return=0.0)
    source = Source(noisy)
    if levels not in _MEASURED:
        _MEASURED[levels] = Engine(source).noise
    engine = Engine(source, noise=_MEASURED[levels])
    plan = engine.plan(Document(Route((Step("noise", "noise", params),))))
    whole = np.empty(noisy.shape, np.float32)

    def one(region):
        x0, y0, x1, y1 = region
        whole[y0:y1, x0:x1] = engine.render(plan, region)

    with ThreadPoolExecutor(os.cpu_count()) as pool:
        list(pool.map(one, block_regions(plan.size)))
    return whole


def nonlocal_means(noisy: np.ndarray, levels: float) -> np.ndarray:
    """OpenCV's coloured non-local means, told the noise, on all cores."""
    cv2.setNumThreads(os.cpu_count())
    strength = 0.75 * levels
    return cv2.fastNlMeansDenoisingColored(noisy, None, strength, strength, 7, 21) / np.float32(255)


def wavelet(noisy: np.ndarray, levels: float) -> np.ndarray:
    """scikit-image's wavelet shrinkage, told the noise."""
    return denoise_wavelet(
        noisy / np.float32(255),
        sigma=levels / 255,
        convert2ycbcr=True,
        channel_axis=-1,
        method="BayesShrink",
        rescale_sigma=True,
    )


def run() -> None:
    """Print seconds a megapixel and PSNR."""
    truth = clean_picture("bench", size=SIZE, dtype=np.float32).pixels
    megapixels = SIZE[0] * SIZE[1] / 1e6
    shown = table(
        f"Cleaning white noise, bench {SIZE[0]} x {SIZE[1]}, {os.cpu_count()} cores; quick measures the noise",
        "method",
        "levels",
        "noisy dB",
        "cleaned dB",
        "s/MP",
        "times quick",
    )
    for levels in (15, 25, 50):
        noise = np.random.default_rng(levels).normal(0, levels, truth.shape)
        noisy = np.clip(np.rint(truth * 255 + noise), 0, 255).astype(np.uint8)
        base = 0.0
        for method, runs in ((quick, 5), (wavelet, 3), (nonlocal_means, 1)):
            cv2.setNumThreads(1)
            seconds = median_seconds(lambda m=method, n=noisy, v=levels: m(n, v), runs) / megapixels
            base = base or seconds
            result = method(noisy, levels)
            figures = (psnr(noisy / 255, truth), psnr(result, truth))
            shown.add_row(
                method.__name__, str(levels), *(f"{f:.2f}" for f in figures), f"{seconds:.3f}", f"{seconds / base:.1f}"
            )
    cv2.setNumThreads(1)
    console.print(shown)
