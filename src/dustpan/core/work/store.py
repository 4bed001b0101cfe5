"""Least-recently-used stores within one budget for the process; they see to it that nothing is made twice at once."""

from __future__ import annotations

import dataclasses
import os
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any

import numpy as np

from dustpan.core.work.cancel import Check, no_check

_LEAST_SIZE = 1 << 10  # bytes that a value without arrays counts for
_POLL = 0.02  # s between two looks whether a thread that waits was cancelled


class Budget:
    """Bytes that several stores keep together.

    What is made anew soonest goes first: the stores are emptied in the order of their ranks.
    """

    def __init__(self, total: int):
        self.total = total
        self._stores: weakref.WeakSet[Store] = weakref.WeakSet()

    @property
    def bytes(self) -> int:
        """Bytes kept now."""
        return sum(store.bytes for store in list(self._stores))

    def join(self, store: Store) -> None:
        """Count a store's values."""
        self._stores.add(store)

    def trim(self) -> None:
        """Drop values until all are within the budget; the newest of each store stays."""
        over = self.bytes - self.total
        for store in sorted(list(self._stores), key=lambda store: store.rank):
            if over <= 0:
                return
            over -= store.drop(over)


def _memory() -> int:
    """Return the bytes of memory that this process may use: the machine's, or its control group's if that is less."""
    found = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    try:
        return min(found, int(Path("/sys/fs/cgroup/memory.max").read_text()))
    except (OSError, ValueError):  # no control group, or one without a limit
        return found


#: Of all stores of the process, by default: a quarter of the memory.
PROCESS = Budget(_memory() // 4)


class Store:
    """Keep values by key until their bytes pass the budget; the least recently used go first.

    The newest value is kept even where it alone is larger than the budget.

    Parameters
    ----------
    budget : bytes of this store alone.
    rank : when stores together pass `shared`, those of low rank give up values first.
    shared : the budget that it shares with other stores.
    """

    def __init__(self, budget: int, *, rank: int = 0, shared: Budget = PROCESS):
        self.budget, self.rank, self.shared = budget, rank, shared
        self._values: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._being_made: dict[Hashable, threading.Event] = {}
        self._lock = threading.Lock()
        shared.join(self)

    def get(self, key: Hashable) -> Any:
        """Return the value, or None."""
        with self._lock:
            return self._get(key)

    def put(self, key: Hashable, value: Any, size: int | None = None) -> None:
        """Keep a value; `size` is its bytes, estimated by default."""
        size = size_of(value) if size is None else size
        with self._lock:
            if key in self._values:
                self._bytes -= self._values.pop(key)[1]
            self._values[key] = (value, size)
            self._bytes += size
            self._drop_oldest(self._bytes - self.budget)
        self.shared.trim()

    def drop(self, size: int) -> int:
        """Drop the least recently used values, so many bytes if there are; return how many went."""
        with self._lock:
            return self._drop_oldest(size)

    def _drop_oldest(self, size: int) -> int:
        dropped = 0
        while dropped < size and len(self._values) > 1:
            dropped += self._values.popitem(last=False)[1][1]
        self._bytes -= dropped
        return dropped

    def get_or_make(self, key: Hashable, make: Callable[[], Any], *, check: Check = no_check) -> Any:
        """Return the value of a key, or make and keep it; other threads that ask meanwhile wait for the first.

        Arrays are made read-only. When making fails, the next thread tries.
        """
        while True:
            with self._lock:
                if key in self._values:  # which may be None: what was looked for and is not there
                    return self._get(key)
                busy = self._being_made.get(key)
                if busy is None:
                    self._being_made[key] = mine = threading.Event()
                    break
            while not busy.wait(_POLL):
                check()
        try:
            value = make()
            if isinstance(value, np.ndarray):
                value.flags.writeable = False
            self.put(key, value)
            return value
        finally:
            with self._lock:
                del self._being_made[key]
            mine.set()

    @property
    def bytes(self) -> int:
        """Bytes kept now."""
        return self._bytes

    def __len__(self) -> int:
        return len(self._values)

    def _get(self, key: Hashable) -> Any:
        found = self._values.get(key)
        if found is None:
            return None
        self._values.move_to_end(key)
        return found[0]


def size_of(value: Any) -> int:
    """Return about how many bytes a value holds: its arrays, also inside tuples and dataclasses, each counted once."""
    return max(_count_bytes(value, set()), _LEAST_SIZE)


def _count_bytes(value: Any, seen: set[int]) -> int:
    if id(value) in seen:
        return 0
    seen.add(id(value))
    if isinstance(value, np.memmap):
        return 0
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, tuple | list):
        return sum(_count_bytes(item, seen) for item in value)
    if dataclasses.is_dataclass(value):
        return sum(_count_bytes(getattr(value, item.name), seen) for item in dataclasses.fields(value))
    return int(getattr(value, "nbytes", 0))
