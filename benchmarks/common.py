"""Timing and figures that the tables share."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table

console = Console(width=120)

HELD_BACK = 5  # every fifth photograph is for reporting, never for choosing constants


def median_seconds(job: Callable[[], object], runs: int = 5) -> float:
    """Return the median of several runs after one that warms up."""
    job()
    taken = []
    for _ in range(runs):
        begun = time.perf_counter()
        job()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def photographs() -> list[Path]:
    """Return the photographs of `DUSTPAN_PHOTOS` (or of a folder beside the project), in order; perhaps none."""
    folder = Path(os.environ.get("DUSTPAN_PHOTOS", "../shared/photos"))
    return sorted(folder.glob("*.png"))


def psnr(result: np.ndarray, truth: np.ndarray) -> float:
    """Peak signal to noise of working pixels, dB."""
    return float(-10 * np.log10(max(np.mean((np.clip(result, 0, 1) - truth) ** 2), 1e-10)))


def table(title: str, *headings: str) -> Table:
    """Return a table with right-aligned figures."""
    made = Table(title=title, title_justify="left")
    made.add_column(headings[0])
    for heading in headings[1:]:
        made.add_column(heading, justify="right")
    return made
