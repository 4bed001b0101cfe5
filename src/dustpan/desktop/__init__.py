"""What a desktop needs of the program: its entry, icon, types of files, metadata, manual page."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

#: Name of the desktop entry, the icon and the metadata.
DESKTOP_ID = "org.dustpan.Dustpan"

#: Where each shipped file belongs under a share folder.
PLACES = {
    f"{DESKTOP_ID}.desktop": "applications",
    f"{DESKTOP_ID}.svg": "icons/hicolor/scalable/apps",
    f"{DESKTOP_ID}.xml": "mime/packages",
    f"{DESKTOP_ID}.metainfo.xml": "metainfo",
    "dustpan.1": "man/man1",
}


def read(name: str) -> str:
    """Return the text of a shipped file."""
    return files("dustpan.desktop").joinpath(name).read_text("utf-8")


def icon_file() -> Path:
    """Return the path of the icon."""
    with as_file(files("dustpan.desktop") / f"{DESKTOP_ID}.svg") as path:
        return path
