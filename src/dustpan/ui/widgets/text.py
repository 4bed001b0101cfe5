"""Text as it can be shown."""

from __future__ import annotations

import os
from pathlib import Path


def shown_name(path: Path, *, whole: bool = False) -> str:
    """Return a file's name as it can be shown: line breaks and bytes that are no letters as signs.

    Parameters
    ----------
    whole : with its folder.
    """
    name = str(path) if whole else path.name
    return os.fsencode(name).decode("utf-8", "replace").replace("\n", "␊").replace("\r", "␍")
