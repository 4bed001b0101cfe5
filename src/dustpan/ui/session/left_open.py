"""Which pictures a window has open, noted in the user's state folder, so that they are found after it was killed."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from dustpan.files.atomic import machine_mark, when_begun


@dataclass(frozen=True)
class Left:
    """What a window had open.

    Attributes
    ----------
    paths : the pictures opened together.
    shown : the one that was shown; None for a sample.
    sample : name of the sample that was shown, or empty.
    """

    paths: tuple[Path, ...] = ()
    shown: Path | None = None
    sample: str = ""

    def __bool__(self) -> bool:
        return bool(self.paths) or bool(self.sample)


class LeftOpen:
    """The note of this window, and those that windows have left which ended without closing.

    Parameters
    ----------
    folder : in the user's state folder; None notes nothing.
    """

    def __init__(self, folder: Path | None):
        self.folder = folder
        name = f"{machine_mark()}-{os.getpid()}-{when_begun(os.getpid())}.json"
        self._file = None if folder is None else folder / name
        self._noted = Left()

    @classmethod
    def of_user(cls) -> LeftOpen:
        """Return that in the user's state folder."""
        return cls(Path(platformdirs.user_state_dir("dustpan")) / "open")

    def note(self, left: Left) -> None:
        """Note what is open now; a folder that can't be written to is no reason to stop."""
        if self._file is None or left == self._noted:
            return
        self._noted, part = left, self._file.with_suffix(".part")
        values = {
            "paths": [str(path) for path in left.paths],
            "shown": str(left.shown) if left.shown else "",
            "sample": left.sample,
        }
        with contextlib.suppress(OSError):
            self._file.parent.mkdir(parents=True, exist_ok=True)
            part.write_text(json.dumps(values), "utf-8", errors="surrogateescape")
            os.replace(part, self._file)

    def forget(self) -> None:
        """Take the note away, as the window is closed."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._file.unlink(missing_ok=True)

    def take(self) -> Left | None:
        """Return what the window had open that ended last without closing, and forget all such notes."""
        if self.folder is None or not self.folder.is_dir():
            return None
        ended = [file for file in self.folder.glob(f"{machine_mark()}-*.json") if _has_ended(file)]
        ended.sort(key=lambda file: file.stat().st_mtime)
        found = [left for file in ended if (left := _read(file)) is not None]
        for file in ended:
            with contextlib.suppress(OSError):
                file.unlink()
        return found[-1] if found else None


def _has_ended(file: Path) -> bool:
    _, process, begun = file.stem.split("-", 2)
    return not process.isdigit() or when_begun(int(process)) != begun


def _read(file: Path) -> Left | None:
    """Return what a note says, or None; pictures that are not there any more are left out."""
    try:
        values: dict[str, Any] = json.loads(file.read_text("utf-8", errors="surrogateescape"))
        paths = tuple(path for name in values["paths"] if (path := Path(name)).is_file())
        shown = Path(values["shown"]) if values["shown"] else None
        left = Left(paths, shown if shown in paths else None, str(values["sample"]))
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return left or None
