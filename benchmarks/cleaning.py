"""Both engines beside general libraries: quality and time, on photographs that nothing was fitted to.

The engines measure the noise themselves, which their times include. The libraries are told its strength, and the
better of two is taken. A plot of quality against time is written to `docs/quality-time.png` where matplotlib is there,
and `bm3d` takes part where it is installed: both come with the extra `bench`. Without a folder of photographs it is the
demo scene.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from importlib.util import find_spec
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from skimage.restoration import denoise_wavelet

from benchmarks.blind import Case, camera, camera_jpeg, cleaned, pictures, white
from benchmarks.common import console, median_seconds, psnr, table
from dustpan.core.picture.working import to_working

_EVERY = 5  # of the photographs, as the slowest method takes minutes for each
_STRENGTHS = (1.0, 1.5)  # of the true deviation, tried for methods that are told one
_PLOT = Path(__file__).parent.parent / "docs" / "quality-time.png"
_TIMED_RUNS = {"quick": 5, "wavelet": 5, "non-local means": 3}


class Figures(NamedTuple):
    """What a method reached: dB, and seconds for a megapixel."""

    quality: float
    seconds: float


def engine(name: str, case: Case, strength: float) -> np.ndarray:
    """Blind cleaning at full strengths, by one of both engines."""
    return cleaned(case.source, name)[0]


def nonlocal_means(case: Case, strength: float) -> np.ndarray:
    """OpenCV's coloured non-local means."""
    levels = float(0.75 * strength * deviation(case))
    return cv2.fastNlMeansDenoisingColored(case.source.pixels, None, levels, levels, 7, 21) / np.float32(255)


def wavelet(case: Case, strength: float) -> np.ndarray:
    """scikit-image's wavelet shrinkage."""
    return denoise_wavelet(
        to_working(case.source.pixels),
        sigma=strength * deviation(case) / 255,
        convert2ycbcr=True,
        channel_axis=-1,
        method="BayesShrink",
        rescale_sigma=True,
    )


def block_matching(case: Case, strength: float) -> np.ndarray:
    """The reference of collaborative filtering, for colour pictures."""
    import bm3d

    return bm3d.bm3d_rgb(to_working(case.source.pixels).astype(np.float64), strength * deviation(case) / 255)


def deviation(case: Case) -> float:
    """Return the true deviation of a case's noise, all channels together, in display values."""
    return float(255 * np.sqrt(np.mean((to_working(case.source.pixels) - case.truth) ** 2)))


def methods() -> dict[str, Callable[[Case, float], np.ndarray]]:
    """Return the methods that are there."""
    found = {
        "wavelet": wavelet,
        "non-local means": nonlocal_means,
        "quick": partial(engine, "quick"),
        "thorough": partial(engine, "thorough"),
    }
    return found | ({"bm3d": block_matching} if find_spec("bm3d") else {})


def figures(method: str, run: Callable[[Case, float], np.ndarray], cases: list[Case]) -> Figures:
    """Return the mean quality over cases, of the better strength each, and the time of the first."""
    strengths = (1.0,) if method in ("quick", "thorough") else _STRENGTHS
    best = [max(psnr(run(case, strength), case.truth) for strength in strengths) for case in cases]
    megapixels = cases[0].truth.shape[0] * cases[0].truth.shape[1] / 1e6
    seconds = median_seconds(lambda: run(cases[0], 1.0), _TIMED_RUNS.get(method, 1)) / megapixels
    return Figures(float(np.mean(best)), seconds)


def plot(found: dict[str, dict[str, Figures]]) -> None:
    """Write quality against time, one panel for each kind of noise."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(3.6 * len(found), 3.4), layout="constrained")
    panels = figure.subplots(1, len(found), sharex=True)
    for panel, (noise, rows) in zip(panels, found.items()):
        for name, (quality, seconds) in rows.items():
            ours = name in ("quick", "thorough")
            panel.plot(seconds, quality, "o", color="#2f6f62" if ours else "#8a8a8a")
            panel.annotate(name, (seconds, quality), xytext=(0, 6), textcoords="offset points", ha="center", fontsize=8)
        panel.set(xscale="log", title=noise, xlabel="seconds for a megapixel", xlim=(0.05, 1500))
        panel.margins(y=0.15)
    panels[0].set_ylabel("PSNR, dB")
    figure.savefig(_PLOT, dpi=110)
    console.print(f"wrote {_PLOT.name}")


def run() -> None:
    """Print the table and write the plot."""
    photos = pictures()[::_EVERY]
    cv2.setNumThreads(1)
    found: dict[str, dict[str, Figures]] = {}
    kinds = (("white 25", white), ("camera", camera), ("camera, JPEG 92", camera_jpeg))
    headings = [heading for noise, _ in kinds for heading in (noise, "s/MP")]
    shown = table(f"Cleaning, {len(photos)} pictures, dB", "method", *headings)
    for noise, make in kinds:
        cases = [make(photo, np.random.default_rng(seed)) for seed, photo in enumerate(photos)]
        found[noise] = {name: figures(name, method, cases) for name, method in methods().items()}
    for name in methods():
        reached = [rows[name] for rows in found.values()]
        shown.add_row(name, *(text for one in reached for text in (f"{one.quality:.2f}", f"{one.seconds:.2f}")))
    console.print(shown)
    if find_spec("matplotlib"):
        plot(found)
