"""Compile the kernels before they are needed: `python -m dustpan.core.kernels.warm`."""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from pathlib import Path

from dustpan.core.kernels.compiled import KERNELS, Kernel

_DONE = "done"  # name of the file that marks a folder as complete


@cache
def kernels() -> tuple[Kernel, ...]:
    """Return every kernel of the modules in this folder."""
    for info in pkgutil.iter_modules([str(Path(__file__).parent)]):
        if info.name != Path(__file__).stem:
            importlib.import_module(f"{__package__}.{info.name}")
    return tuple(KERNELS)


def is_warm() -> bool:
    """Return whether every kernel is compiled already."""
    return all((kernel.folder / _DONE).exists() for kernel in kernels())


def warm() -> None:
    """Compile every kernel, or load it: half a minute once, 0.4 s afterwards."""
    for kernel in kernels():
        kernel.compile()
    for folder in {kernel.folder for kernel in kernels()}:
        if folder.is_dir():
            (folder / _DONE).touch()


if __name__ == "__main__":
    warm()
