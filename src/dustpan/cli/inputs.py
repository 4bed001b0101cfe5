"""The pictures that a command line names: files, folders, patterns, standard input."""

from __future__ import annotations

import contextlib
import glob
import re
import shutil
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

import click

from dustpan.files import ENDINGS

STANDARD_INPUT = Path("-")
_NAME = "standard-input"  # stem of what is read from there, and so of its output in a folder
_PASSING = re.compile(rf"\S*/dustpan-\w+/{_NAME}(?!\S*\.)")


@contextlib.contextmanager
def pictures_of(names: Sequence[Path]) -> Iterator[list[Path]]:
    """Give the files that are named, each once, in their order; what standard input holds lies in a passing file.

    A folder stands for the pictures in it, by their endings; a pattern that no file is named like for those that
    fit. Raises UsageError where a folder or a pattern holds none.
    """
    with tempfile.TemporaryDirectory(prefix="dustpan-") as folder:
        found: dict[Path, None] = {}
        for name in names:
            found.update(dict.fromkeys(_read_standard_input(Path(folder)) if name == STANDARD_INPUT else _expand(name)))
        yield list(found)


def shown(text: object) -> str:
    """Return a picture's name, or what is said of it, as the caller knows it: standard input is no passing file."""
    return _PASSING.sub(str(STANDARD_INPUT), str(text))


def _expand(name: Path) -> list[Path]:
    if name.is_dir():
        inside = sorted(path for path in name.iterdir() if path.suffix.lower() in ENDINGS and path.is_file())
        if not inside:
            raise click.UsageError(f"{name}: the folder holds no picture that can be read.")
        return inside
    if glob.has_magic(str(name)) and not name.exists():
        fitting = sorted(Path(path) for path in glob.glob(str(name), recursive=True) if Path(path).is_file())
        if not fitting:
            raise click.UsageError(f"{name}: no file fits this pattern.")
        return fitting
    return [name]


def _read_standard_input(folder: Path) -> list[Path]:
    path = folder / _NAME
    with open(path, "wb") as file:
        shutil.copyfileobj(sys.stdin.buffer, file)
    return [path]
