"""Where the results of a batch go, and what can be refused before the work begins."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from dustpan.core.errors import DustpanError, SaveError
from dustpan.files.atomic import check_name
from dustpan.files.save import FORMATS

WRITABLE = {suffix for fmt in FORMATS.values() for suffix in fmt.suffixes}

_RAW = {suffix for fmt in FORMATS.values() if fmt.raw for suffix in fmt.suffixes}  # written only when asked for


def targets_in(pictures: Iterable[Path], folder: Path, format_name: str | None) -> dict[Path, Path]:
    """Return each input's file in a folder: its own stem; an ending that can't be written becomes PNG."""
    targets = {}
    for picture in pictures:
        own = picture.suffix if picture.suffix.lower() in WRITABLE - _RAW else ".png"
        targets[picture] = folder / (picture.stem + (FORMATS[format_name].suffixes[0] if format_name else own))
    return targets


def refusals(targets: dict[Path, Path], *, overwrite: bool) -> dict[Path, str]:
    """Return why inputs can't be worked, as far as that can be told beforehand: a line each."""
    refused: dict[Path, str] = {}
    taken: dict[Path, Path] = {}
    for picture, target in targets.items():
        first = taken.setdefault(target, picture)
        try:
            if first != picture:
                raise SaveError(f"{picture}: its result would have the same name as that of {first} ({target}).")
            if not os.path.lexists(picture):
                raise SaveError(f"{picture}: can't be opened (No such file or directory).")
            check_name(target, overwrite=overwrite, sources=targets)
        except DustpanError as fault:
            refused[picture] = str(fault)
    return refused
