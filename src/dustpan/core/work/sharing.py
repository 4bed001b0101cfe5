"""Spread one piece of work over the idle threads of a pool."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Sequence
from typing import Any

from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority

#: Calls a function for every item of a list and gives the results in order, perhaps on several threads.
Each = Callable[..., Iterable]


def run_shared(
    work: Callable[[Any], None], items: Sequence[Any], pool: Pool | None, *, priority: int = Priority.VIEW
) -> None:
    """Call `work` for every item, in this thread and in idle threads of a pool.

    A job of the same pool may call it: this thread works too and waits only for helpers that have started.

    Parameters
    ----------
    work : called once per item, from several threads. The first exception it raises is raised here, and the items
        that are left are dropped.
    items : what to work on.
    pool : whose threads help; None works in this thread alone.
    priority : of the helpers in the pool's queue.
    """
    shared = _SharedItems(work, items)
    token = Token()
    if pool is not None and len(items) > 1:
        for _ in range(pool.size - 1):
            pool.submit(shared.work_as_helper, priority=priority, token=token)
    while shared.work_on_next():
        pass
    token.cancel()
    shared.wait_for_helpers()
    if shared.faults:
        raise shared.faults[0]


def map_shared(
    work: Callable[[Any], Any], items: Sequence[Any], pool: Pool | None, *, priority: int = Priority.VIEW
) -> list:
    """Return `work(item)` for every item, in the order of the items; see `run_shared`."""
    results: list = [None] * len(items)

    def store_result(number: int) -> None:
        results[number] = work(items[number])

    run_shared(store_result, range(len(items)), pool, priority=priority)
    return results


class _SharedItems:
    """Items that several threads take from until none is left or one has failed."""

    def __init__(self, work: Callable[[Any], None], items: Sequence[Any]):
        self.faults: list[BaseException] = []
        self._work, self._waiting = work, list(reversed(items))
        self._lock, self._finished, self._started = threading.Lock(), threading.Semaphore(0), 0

    def work_on_next(self) -> bool:
        """Take an item and work on it; return whether there was one."""
        with self._lock:
            if self.faults or not self._waiting:
                return False
            item = self._waiting.pop()
        try:
            self._work(item)
        except BaseException as fault:  # raised by the thread that asked for the work
            self.faults.append(fault)
        return True

    def work_as_helper(self) -> None:
        """Work on items until none is left."""
        with self._lock:
            self._started += 1
        while self.work_on_next():
            pass
        self._finished.release()

    def wait_for_helpers(self) -> None:
        """Wait for the helpers that have started; only they may still be working."""
        with self._lock:
            started = self._started
        for _ in range(started):
            self._finished.acquire()
