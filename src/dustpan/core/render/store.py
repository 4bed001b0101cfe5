"""What the engines of a window, or of a batch, keep."""

from __future__ import annotations

from dataclasses import dataclass, field

from dustpan.core.work.store import Store

_BASES = 1 << 30  # bytes of bases that are kept at least


@dataclass(frozen=True)
class Stores:
    """What the engines of a window, or of one picture of a batch, keep.

    Bases and analyses have stores of their own, so that blocks, which are made anew in a moment, never push them out.
    All are within the budget of the process.
    Keys name where a value comes from, so engines of several pictures can share them.
    """

    blocks: Store
    analyses: Store
    bases: Store = field(default_factory=lambda: Store(_BASES, rank=3))

    @classmethod
    def of(cls, budget: int) -> Stores:
        """Return empty stores for so many bytes of blocks."""
        return cls(Store(budget), Store(budget, rank=2), Store(max(budget, _BASES), rank=3))
