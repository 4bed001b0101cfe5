"""Folders of pictures."""

from __future__ import annotations

from pathlib import Path

from dustpan.files.formats import ENDINGS


def pictures_in(path: Path) -> list[Path]:
    """Return a file, or the files of a folder that may be pictures, by their names."""
    if not path.is_dir():
        return [path]
    try:
        return sorted(file for file in path.iterdir() if file.suffix.lower() in ENDINGS and file.is_file())
    except OSError:
        return []
