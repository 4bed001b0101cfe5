"""Write drawn samples in chunks that are made once: the work can be interrupted, and repeated."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import click
import cv2
import numpy as np

#: Draws the sample of a number, a named tuple of arrays, or None where it can't be had.
Draw = Callable[[int], Any]


def write_chunk(number: int, out: Path, size: int, draw: Draw, kind: type | None) -> int:
    """Draw one chunk of so many samples and write it, unless it is there; `kind` of the numbers, None as drawn."""
    cv2.setNumThreads(1)
    path = out / f"{number:05d}.npz"
    if not path.exists():
        drawn = [sample for n in range(size) if (sample := draw(number * size + n)) is not None]
        unfinished = path.with_suffix(".part.npz")
        columns = {name: np.stack([getattr(sample, name) for sample in drawn]) for name in drawn[0]._fields}
        np.savez(unfinished, **{name: values.astype(kind or values.dtype) for name, values in columns.items()})
        unfinished.rename(path)
    return number


def write_chunks(count: int, out: Path, size: int, draw: Draw, *, jobs: int, kind: type | None = None) -> None:
    """Write the chunks of `count` samples that are not there yet; `draw` must be one that processes can share."""
    out.mkdir(parents=True, exist_ok=True)
    work = partial(write_chunk, out=out, size=size, draw=draw, kind=kind)
    with ProcessPoolExecutor(jobs) as pool:
        for number in pool.map(work, range(-(-count // size))):
            click.echo(f"chunk {number}")
