"""Steps, routes and documents: frozen values that share structure, and their history."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dustpan.core.document.params import Params

STAGES = ("Mend", "Tone", "Quiet", "Crisp", "Surface")


@dataclass(frozen=True)
class Where:
    """A step's mask: parts folded in order; no parts means everywhere. Parts are `where.Part` values."""

    parts: tuple[Any, ...] = ()
    invert: bool = False
    feather: float = 0.0
    origin: str = "source"  # "from" in files: what the parts look at, "source" or the step's "input"

    @property
    def everywhere(self) -> bool:
        """Whether the mask leaves nothing out."""
        return not self.invert and not any(part.on for part in self.parts)


@dataclass(frozen=True)
class Step:
    """One card of the route: a kind, its settings, its Mix and its Where."""

    id: str
    kind: str
    params: Params
    on: bool = True
    name: str = ""
    mix: float = 1.0
    blend: str = "replace"
    where: Where = field(default_factory=Where)
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False)  # of a remedy; kept untouched


@dataclass(frozen=True)
class Route:
    """The ordered steps a picture passes through."""

    steps: tuple[Step, ...] = ()

    def __iter__(self):
        return iter(self.steps)

    def __len__(self):
        return len(self.steps)

    def find(self, step_id: str) -> Step | None:
        """Return the step of that id, or None."""
        return next((step for step in self.steps if step.id == step_id), None)

    def index(self, step_id: str) -> int:
        """Return the place of a step; raises KeyError when it is not in the route."""
        for place, step in enumerate(self.steps):
            if step.id == step_id:
                return place
        raise KeyError(step_id)

    def with_step(self, step: Step) -> Route:
        """Return the route with the step of the same id replaced."""
        return Route(tuple(step if old.id == step.id else old for old in self.steps))

    def without(self, step_id: str) -> Route:
        """Return the route without that step."""
        return Route(tuple(step for step in self.steps if step.id != step_id))

    def inserted(self, step: Step, place: int) -> Route:
        """Return the route with a new step at that place."""
        return Route((*self.steps[:place], step, *self.steps[place:]))

    def free_id(self, kind: str) -> str:
        """Return an id that no step has: the kind, with a number from the second on."""
        taken = {step.id for step in self.steps}
        names = itertools.chain([kind], (f"{kind}_{n}" for n in itertools.count(2)))
        return next(name for name in names if name not in taken)


@dataclass(frozen=True)
class Document:
    """All that is edited about one picture. What is only looked at (zoom, compare) is kept elsewhere."""

    route: Route = field(default_factory=Route)


@dataclass(frozen=True)
class Entry:
    """A state of the document and the plain name of what led to it."""

    document: Document
    label: str


@dataclass(frozen=True)
class History:
    """Entries and the one shown; immutable, so a history can be kept and compared."""

    entries: tuple[Entry, ...]
    at: int = 0

    @classmethod
    def start(cls, document: Document, label: str = "Opened") -> History:
        """Return a history with one entry."""
        return cls((Entry(document, label),))

    @property
    def document(self) -> Document:
        """The document shown now."""
        return self.entries[self.at].document

    def record(self, document: Document, label: str) -> History:
        """Return the history with a new entry after this one; what was undone is dropped."""
        if document == self.document:
            return self
        return History((*self.entries[: self.at + 1], Entry(document, label)), self.at + 1)

    def undo(self) -> History:
        """Return the history one entry back, or itself at the start."""
        return replace(self, at=max(self.at - 1, 0))

    def redo(self) -> History:
        """Return the history one entry on, or itself at the end."""
        return replace(self, at=min(self.at + 1, len(self.entries) - 1))

    @property
    def undo_label(self) -> str:
        """Name of what undo would take back, or nothing."""
        return self.entries[self.at].label if self.at else ""

    @property
    def redo_label(self) -> str:
        """Name of what redo would do again, or nothing."""
        return self.entries[self.at + 1].label if self.at + 1 < len(self.entries) else ""
