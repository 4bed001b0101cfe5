"""The document and its history: frozen values, so that both can be kept and compared."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dustpan.core.document.route import Route


@dataclass(frozen=True)
class Document:
    """All that is edited about one picture. What only the view shows (zoom, comparing) is kept elsewhere.

    Attributes
    ----------
    route : the steps.
    noise : the noise model, as plain values, of the remedy with fixed scaling that the route came from; None where the
        picture's own noise is measured.
    """

    route: Route = field(default_factory=Route)
    noise: Mapping[str, Any] | None = field(default=None, hash=False)


@dataclass(frozen=True)
class Entry:
    """A state of the document and the plain name of the change that led to it."""

    document: Document
    label: str


@dataclass(frozen=True)
class History:
    """Entries and the index of the one shown."""

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
        """Return the history with a new entry after this one; undone entries are dropped."""
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
        """Name of the change that undo takes back, or empty."""
        return self.entries[self.at].label if self.at else ""

    @property
    def redo_label(self) -> str:
        """Name of the change that redo makes again, or empty."""
        return self.entries[self.at + 1].label if self.at + 1 < len(self.entries) else ""
