"""Wiring: the command line, and the window it can open."""

from __future__ import annotations

import os
import sys
from pathlib import Path


def open_window(
    files: list[Path], *, scene: str | None = None, into: Path | None = None, save_to: Path | None = None
) -> int:
    """Start the window; Qt is only loaded here."""
    from dustpan.ui.app import start

    return start(files, scene=scene, into=into, save_to=save_to)


def _set_up() -> None:
    """Make the settings that hold for the whole process, before the libraries they are for are loaded."""
    # Parallelism is blocks of the picture: the libraries below keep to one thread each.
    for name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS", "OPENCV_FOR_THREADS_NUM"):
        os.environ.setdefault(name, "1")
    # Workers hold the interpreter for a moment between their long calls; the window and the others should not wait
    # 5 ms for their turn.
    sys.setswitchinterval(0.0005)


def main() -> None:
    """Run `dustpan`; an interruption at any moment ends it plainly."""
    try:
        _set_up()
        from dustpan.cli import end_plainly, run

        end_plainly()
        status = run(open_window)
    except KeyboardInterrupt:
        print("dustpan: interrupted; nothing was left half-written.", file=sys.stderr)
        status = 130
    if status == 130:  # threads that still hold a piece of work are not waited for
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    sys.exit(status)


if __name__ == "__main__":
    main()
