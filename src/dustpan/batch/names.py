"""Names of results by a pattern."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from dustpan.core.errors import SaveError

WORDS = ("name", "number", "date", "folder")
PATTERN = "{name}-cleaned"


def named(pattern: str, picture: Path, number: int, suffix: str) -> str:
    """Return a result's file name.

    Parameters
    ----------
    pattern : text in which {name}, {number}, {date} and {folder} stand for the picture's own.
    number : of the picture, from 1.
    suffix : of the result.

    Raises
    ------
    SaveError where the pattern holds other words in braces, or gives no name.
    """
    facts = {
        "name": picture.stem,
        "number": f"{number:03d}",
        "date": date.today().isoformat(),
        "folder": picture.absolute().parent.name,
    }
    try:
        stem = pattern.format(**facts).strip()
    except (KeyError, IndexError, ValueError, AttributeError) as fault:
        known = ", ".join(f"{{{word}}}" for word in WORDS)
        raise SaveError(f"{pattern}: {known} are known in a name.") from fault
    if not stem or "/" in stem or stem in (".", ".."):
        raise SaveError(f"{pattern}: this gives no file name.")
    return stem if Path(stem).suffix.lower() == suffix else stem + suffix
