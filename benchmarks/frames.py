"""A night's series combined: noise beside the law of 1/sqrt(n), what is left of trails, stars' light, time, memory.

The series is drawn, so the sky is known. Time and memory are those of `dustpan combine` as a process; beside it the
sigma clip of a general library over the same placed frames.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
from astropy.stats import sigma_clip

from benchmarks.common import console, table
from dustpan.batch.series import Series
from dustpan.batch.stack import combine_series
from dustpan.core.frames.combining import Method
from dustpan.core.frames.stars import find_stars
from dustpan.core.picture.source import Metadata
from dustpan.files import read_picture
from dustpan.files.save import FORMATS, save_picture
from dustpan.simulate.roof_stars import CLOUDY, FRAMES, Night

_METHODS = (
    Method("average"),
    Method("sigma_clip"),
    Method("winsorised"),
    Method("percentile", low=0.3, high=0.7),
    Method("percentile"),
    Method("median"),
)
_LARGE = (3000, 2000)
_RIM = 40  # px that some frames do not reach
_MOST_OFF = 5.0  # deviations of the result's noise
_MEASURE = "import resource, runpy, sys; sys.argv = ['dustpan', *sys.argv[1:]]\ntry:\n    runpy.run_module('dustpan', \
run_name='__main__')\nfinally:\n    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, file=sys.stderr)"


def run() -> None:
    """Print both tables."""
    with tempfile.TemporaryDirectory() as name:
        _show_quality(_write(Path(name), Night(), FRAMES), Night())
    with tempfile.TemporaryDirectory() as name:
        _show_speed(_write(Path(name), Night(_LARGE), FRAMES))


def _write(folder: Path, night: Night, count: int) -> Path:
    for name, draw, frames in (("night", night.frame, count), ("dark", night.dark, 8), ("flat", night.flat, 8)):
        for number in range(frames):
            save_picture(folder / f"{name}-{number:02d}.fits", draw(number), Metadata(), FORMATS["fits"])
    return folder


def _series(folder: Path, method: Method, *, cloudy: bool = True) -> Series:
    frames = [path for n, path in enumerate(sorted(folder.glob("night-*"))) if cloudy or n != CLOUDY]
    calibration = {kind: tuple(sorted(folder.glob(f"{kind}-*"))) for kind in ("dark", "flat")}
    return Series(tuple(frames), method=method, **calibration)


def _show_quality(folder: Path, night: Night) -> None:
    truth = night.sky(0, trails=False)
    height = int(0.42 * truth.shape[0])  # above the roofs
    inner = np.s_[_RIM:height, _RIM:-_RIM]
    calm = (cv2.dilate(truth[..., 1], np.ones((9, 9))) - truth[..., 1] < 0.002)[inner]
    shown = table(
        f"{FRAMES} frames with satellite, cosmic rays, hot pixels; one more clouded",
        "method",
        "noise / plain mean of clean frames",
        "off by 5 deviations, of a million",
        "stars' light",
    )
    clean = _clean_mean(night, truth, inner, calm)
    for method in _METHODS:
        result = combine_series(_series(folder, method)).light
        off = (result * (np.median(truth[inner]) / np.median(result[inner])) - truth)[inner]
        level = np.median(off[calm], axis=0)
        noise = float(np.std((off - level)[calm]))
        far = np.abs(off - level)[calm] > _MOST_OFF * max(noise, clean)
        band = f" {method.low:.0%} to {method.high:.0%}" if method.name == "percentile" else ""
        light = _stars_kept(truth[inner], truth[inner] + off - level)
        shown.add_row(method.name + band, f"{noise / clean:.2f}", f"{1e6 * far.mean():.0f}", f"{light:.3f}")
    console.print(shown)


def _clean_mean(night: Night, truth: np.ndarray, inner, calm: np.ndarray) -> float:
    """Return the deviation of the mean of frames without marks, drawn on one spot: what the law allows."""
    rng = np.random.default_rng(7)
    light = truth[inner] * night.response[inner] + 0.0022
    frames = [(rng.poisson(light * 9000) + rng.normal(0, 3, light.shape)) / 9000 for _ in range(FRAMES - 1)]
    off = np.mean(frames, axis=0) / night.response[inner] - truth[inner]
    return float(np.std((off - np.median(off[calm], axis=0))[calm]))


def _stars_kept(truth: np.ndarray, result: np.ndarray) -> float:
    """Return the median of the stars' light beside the truth's."""
    found = find_stars(np.ascontiguousarray(truth[..., 1]))
    parts = []
    for (x, y), _ in zip(found.places.round().astype(int), found.flux):
        own = np.s_[max(y - 4, 0) : y + 5, max(x - 4, 0) : x + 5, 1]
        sky = np.median(truth[own])
        parts.append((result[own] - sky).sum() / (truth[own] - sky).sum())
    return float(np.median(parts))


def _show_speed(folder: Path) -> None:
    series = _series(folder, Method())
    calibration = [w for kind in ("dark", "flat") for path in getattr(series, kind) for w in (f"--{kind}", str(path))]
    call = [sys.executable, "-c", _MEASURE, "combine", *map(str, series.frames), *calibration, "--json"]
    aligned = folder / "aligned"
    began = time.perf_counter()
    done = subprocess.run([*call, "--out", str(folder / "out.fits")], capture_output=True, text=True, check=True)
    seconds, memory = time.perf_counter() - began, int(done.stderr.split()[-1]) / 1024
    subprocess.run(
        [*call, "--out", str(folder / "b.fits"), "--save-aligned", str(aligned)], capture_output=True, check=True
    )
    began = time.perf_counter()
    stack = np.stack([read_picture(path).pixels for path in sorted(aligned.iterdir())])
    np.ma.mean(sigma_clip(stack, sigma=2.5, maxiters=5, axis=0, cenfunc="median", stdfunc="std"), axis=0)
    other = time.perf_counter() - began
    shown = table(f"{FRAMES} frames of 6 MP", "what", "figure")
    shown.add_row("calibrated, placed and combined, s", f"{seconds:.1f}")
    shown.add_row("most memory, MB", f"{memory:.0f}")
    shown.add_row("sigma clip alone of a general library, on placed frames, s", f"{other:.1f}")
    shown.add_row("noise lower by", f"{json.loads(done.stdout)['noise']['gain']:.2f}")
    console.print(shown)
