"""A least-recently-used store of arrays with a byte budget."""

from __future__ import annotations

import dataclasses
import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any

import numpy as np

_SMALL = 1 << 10  # bytes that a value without arrays is taken for


class Cache:
    """Keep values by key until their bytes pass the budget; the least recently used go first."""

    def __init__(self, budget: int):
        self.budget = budget
        self._held: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Any:
        """Return the value, or None."""
        with self._lock:
            found = self._held.get(key)
            if found is None:
                return None
            self._held.move_to_end(key)
            return found[0]

    def put(self, key: Hashable, value: Any, size: int) -> None:
        """Store a value that takes `size` bytes."""
        with self._lock:
            if key in self._held:
                self._bytes -= self._held.pop(key)[1]
            self._held[key] = (value, size)
            self._bytes += size
            while self._bytes > self.budget and len(self._held) > 1:
                self._bytes -= self._held.popitem(last=False)[1][1]

    @property
    def bytes(self) -> int:
        """Bytes held now."""
        return self._bytes


def size_of(value: Any) -> int:
    """Return about how many bytes a value holds: its arrays, also inside tuples and dataclasses, each once."""
    return max(_bytes_in(value, set()), _SMALL)


def _bytes_in(value: Any, seen: set[int]) -> int:
    if id(value) in seen:
        return 0
    seen.add(id(value))
    if isinstance(value, np.memmap):
        return 0
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, tuple | list):
        return sum(_bytes_in(item, seen) for item in value)
    if dataclasses.is_dataclass(value):
        return sum(_bytes_in(getattr(value, item.name), seen) for item in dataclasses.fields(value))
    return int(getattr(value, "nbytes", 0))
