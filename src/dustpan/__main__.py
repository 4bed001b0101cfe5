"""Wiring: the command line, and the window it can open."""

from __future__ import annotations

import sys
from pathlib import Path

from dustpan.cli import run


def open_window(files: list[Path], *, scene: str | None = None, into: Path | None = None) -> int:
    """Start the window; Qt is only loaded here."""
    from dustpan.ui.app import start

    return start(files, scene=scene, into=into)


def main() -> None:
    """Run `dustpan`."""
    sys.exit(run(open_window))


if __name__ == "__main__":
    main()
