"""Wiring: the command line, and the window it can open."""

from __future__ import annotations

import os
import sys
from pathlib import Path

# Parallelism is blocks of the picture: the libraries below keep to one thread each. This is the one setting that
# holds for the whole process, and it has to stand before they are loaded.
for _name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

# Workers hold the interpreter for a moment between their long calls; the window and the others should not wait 5 ms
# for their turn.
sys.setswitchinterval(0.0005)

import cv2

from dustpan.cli import run

cv2.setNumThreads(1)


def open_window(files: list[Path], *, scene: str | None = None, into: Path | None = None) -> int:
    """Start the window; Qt is only loaded here."""
    from dustpan.ui.app import start

    return start(files, scene=scene, into=into)


def main() -> None:
    """Run `dustpan`."""
    sys.exit(run(open_window))


if __name__ == "__main__":
    main()
