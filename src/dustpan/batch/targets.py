"""Where the results of a batch go, and what can be refused before the work begins."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from dustpan.batch.export import Also
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


def refusals(
    targets: dict[Path, Path], *, overwrite: bool, also: Sequence[Also] = (), new_folder: bool = False
) -> dict[Path, str]:
    """Return why inputs can't be worked, as far as that is known beforehand: a line each.

    also : other files that are written beside each target.
    new_folder : whether a folder that is missing will be made.
    """
    refused: dict[Path, str] = {}
    owners: dict[Path, Path] = {}
    for picture, target in targets.items():
        owners.setdefault(target, picture)
    for picture, target in targets.items():
        try:
            if not os.path.lexists(picture):
                raise SaveError(f"{picture}: can't be opened (No such file or directory).")
            files = [target, *(each.beside(target) for each in also)]
            if len(set(files)) < len(files):
                raise SaveError(f"{picture}: two of its files would have the same name.")
            for file in files:
                if (first := owners.setdefault(file, picture)) != picture:
                    raise SaveError(f"{picture}: its result would have the same name as that of {first} ({file}).")
                check_name(file, overwrite=overwrite, sources=targets, new_folder=new_folder)
        except DustpanError as fault:
            refused[picture] = str(fault)
    return refused
