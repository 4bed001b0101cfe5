"""The pictures opened together: which one is shown, and what was done to the others."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass, field
from pathlib import Path

import platformdirs

from dustpan.core.document.history import Document, History
from dustpan.core.document.remedy import Remedy, read_remedy, write_remedy
from dustpan.core.document.route import Route
from dustpan.core.errors import DustpanError

_MOST_KEPT = 200  # routes kept in the user's state folder


@dataclass(frozen=True)
class PictureState:
    """What belongs to one picture and outlives a look at another: history, takes, choice, what was exported last."""

    history: History
    takes: dict[str, Document] = field(default_factory=dict)
    chosen_id: str | None = None
    safe: Document | None = None  # the document that was exported, saved or began with


class Pictures:
    """An ordered list of files with the one that is shown, and the state of each that was left."""

    def __init__(self) -> None:
        self.paths: list[Path] = []
        self.broken: set[Path] = set()
        self._states: dict[Path, PictureState] = {}

    def take(self, paths: list[Path]) -> None:
        """Begin with other pictures; the states of those that stay in the list are kept."""
        self.paths = list(dict.fromkeys(path.absolute() for path in paths))
        self.broken = set()

    def index(self, path: Path | None) -> int:
        """Return the index of a file in the list, or -1."""
        return self.paths.index(path.absolute()) if path and path.absolute() in self.paths else -1

    def neighbour(self, path: Path | None, step: int) -> Path | None:
        """Return the next sound file in a direction, or None at the end."""
        at = self.index(path) + step
        while 0 <= at < len(self.paths):
            if self.paths[at] not in self.broken:
                return self.paths[at]
            at += step
        return None

    def leave(self, path: Path, state: PictureState) -> None:
        """Keep the state of a picture that is left."""
        self._states[path.absolute()] = state

    def state(self, path: Path) -> PictureState | None:
        """Return the state in which a picture was left, or None."""
        return self._states.get(path.absolute())


class KeptRoutes:
    """Routes that were changed and not exported, kept for their files until they are.

    Parameters
    ----------
    folder : in the user's state folder; None keeps nothing.
    """

    def __init__(self, folder: Path | None):
        self.folder = folder

    @classmethod
    def of_user(cls) -> KeptRoutes:
        """Return those in the user's state folder."""
        return cls(Path(platformdirs.user_state_dir("dustpan")) / "routes")

    def _file(self, path: Path) -> Path | None:
        if self.folder is None:
            return None
        name = hashlib.blake2b(os.fsencode(path.absolute()), digest_size=16).hexdigest()
        return self.folder / f"{name}.json"

    def keep(self, path: Path, route: Route) -> None:
        """Keep a route for a file; a folder that can't be written to is no reason to stop."""
        file = self._file(path)
        if file is None:
            return
        part = file.with_suffix(".part")
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            part.write_text(write_remedy(Remedy(route, name=path.name)), "utf-8", errors="surrogateescape")
            os.replace(part, file)
            self._drop_oldest(file.parent)
        except OSError:
            part.unlink(missing_ok=True)

    def _drop_oldest(self, folder: Path) -> None:
        files = sorted(folder.glob("*.json"), key=lambda file: file.stat().st_mtime)
        for file in files[: max(len(files) - _MOST_KEPT, 0)]:
            file.unlink(missing_ok=True)

    def find(self, path: Path) -> Route | None:
        """Return the route kept for a file, or None; one that can't be read any more is dropped."""
        file = self._file(path)
        try:
            return None if file is None else read_remedy(file.read_text("utf-8"), where=str(file)).route
        except (OSError, UnicodeDecodeError, DustpanError, json.JSONDecodeError):
            return None

    def drop(self, path: Path) -> None:
        """Forget the route of a file."""
        file = self._file(path)
        if file is not None:
            try:
                file.unlink(missing_ok=True)
            except OSError:
                return
