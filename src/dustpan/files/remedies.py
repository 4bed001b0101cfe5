"""Remedy files: read with every fault reported, saved whole or not at all."""

from __future__ import annotations

import os
from functools import cache
from importlib.resources import files
from pathlib import Path

from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.errors import RemedyError
from dustpan.core.noise.fixed import find_noise_faults
from dustpan.files.atomic import save_whole

_LARGEST = 64 << 20  # bytes; a remedy with embedded masks stays far under it


def load_remedy(path: Path) -> Remedy:
    """Read a remedy file; raises RemedyError that names it, and every field that is wrong."""
    name = os.fsencode(path).decode("utf-8", "replace")
    try:
        if path.stat().st_size > _LARGEST:
            raise RemedyError(name, [f"is larger than {_LARGEST >> 20} MB; this is not a remedy"])
        text = path.read_text("utf-8")
    except UnicodeDecodeError:
        raise RemedyError(name, ["is not UTF-8 text; this is not a remedy"]) from None
    except OSError as fault:
        raise RemedyError(name, [f"can't be read ({fault.strerror or fault})"]) from fault
    return read_remedy(text, where=name, check_made_on=find_noise_faults)


def save_remedy(path: Path, remedy: Remedy, *, overwrite: bool = False) -> None:
    """Write a remedy file, whole or not at all; raises SaveError that names it."""

    def write(part: Path) -> None:
        part.write_text(write_remedy(remedy), "utf-8")

    save_whole(path, write, overwrite=overwrite)


@cache
def ready_made() -> dict[str, Remedy]:
    """Return the remedies that come with the program, by their names: each a plain route for one need."""
    texts = {item.name: item.read_text("utf-8") for item in files("dustpan.files").joinpath("ready").iterdir()}
    remedies = [read_remedy(text, where=name) for name, text in sorted(texts.items()) if name.endswith(".json")]
    return {remedy.name: remedy for remedy in remedies}
