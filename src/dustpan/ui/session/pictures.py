"""The pictures opened together: which one is shown, and what was done to the others."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path

from dustpan.core.document.history import Document, History
from dustpan.core.document.work import Work


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
        self.given: dict[Path, Work] = {}  # that came with a project, for pictures not shown since
        self._states: dict[Path, PictureState] = {}

    def take(self, paths: list[Path]) -> None:
        """Begin with other pictures; the states of those that stay in the list are kept."""
        self.paths = list(dict.fromkeys(path.absolute() for path in paths))
        self.broken = set()
        self.given = {}

    def give(self, works: dict[Path, Work]) -> None:
        """Take work that came with a project in place of what was done to these pictures before."""
        self.given = {path.absolute(): work for path, work in works.items()}
        for path in self.given:
            self._states.pop(path, None)

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

    def put_back(self, path: Path, state: PictureState | None, given: Work | None) -> None:
        """Let a picture that is not shown be as it was."""
        self._states.pop(path, None)
        self.given.pop(path, None)
        if state is not None:
            self._states[path] = state
        if given is not None:
            self.given[path] = given

    def state(self, path: Path) -> PictureState | None:
        """Return the state in which a picture was left, or None."""
        return self._states.get(path.absolute())

    def mark_safe(self, path: Path, document: Document) -> None:
        """Take a document of a picture that was left for exported."""
        if (state := self.state(path)) is not None:
            self.leave(path, replace(state, safe=document))
