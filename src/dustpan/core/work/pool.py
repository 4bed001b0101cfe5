"""One pool of threads, one a core, that takes the most urgent job first."""

from __future__ import annotations

import heapq
import itertools
import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from enum import IntEnum
from typing import Any

from dustpan.core.errors import Cancelled


class Priority(IntEnum):
    """Order of work: what is looked at comes first."""

    VIEW_DRAFT = 0
    VIEW = 1
    AROUND = 2
    EXPORT = 3


class Token:
    """Say that work is no longer wanted; workers call `check` now and then."""

    def __init__(self):
        self._event = threading.Event()

    def cancel(self) -> None:
        """Ask for the work to stop."""
        self._event.set()

    @property
    def cancelled(self) -> bool:
        """Whether the work was asked to stop."""
        return self._event.is_set()

    def check(self) -> None:
        """Raise Cancelled when the work is no longer wanted."""
        if self._event.is_set():
            raise Cancelled("stopped")


class Pool:
    """Threads that run jobs by priority, then in the order they came.

    yielding : workers give way to the thread that draws the window.
    """

    def __init__(self, threads: int | None = None, *, yielding: bool = False):
        self._yielding = yielding
        self.size = threads or os.cpu_count() or 1
        self._jobs: list = []
        self._count = itertools.count()
        self._ready = threading.Condition()
        self._open = True
        self._threads = [
            threading.Thread(target=self._work, name=f"dustpan-{n}", daemon=True) for n in range(self.size)
        ]
        for thread in self._threads:
            thread.start()

    def submit(self, job: Callable[[], object], *, priority: int, token: Token) -> Future:
        """Queue a job; its future ends with Cancelled when the token stops it before or while it runs."""
        future: Future = Future()
        with self._ready:
            if not self._open:
                raise RuntimeError("the pool is closed")
            heapq.heappush(self._jobs, (priority, next(self._count), job, token, future))
            self._ready.notify()
        return future

    def close(self) -> None:
        """Stop after the jobs that run now; jobs still waiting end as cancelled."""
        with self._ready:
            self._open = False
            waiting, self._jobs = self._jobs, []
            self._ready.notify_all()
        for *_, future in waiting:
            future.set_exception(Cancelled("closed"))
        for thread in self._threads:
            thread.join()

    def _next(self):
        with self._ready:
            while self._open and not self._jobs:
                self._ready.wait()
            return heapq.heappop(self._jobs) if self._open else None

    def _work(self) -> None:
        if self._yielding and hasattr(os, "setpriority"):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 5)
        while job := self._next():
            _, _, run, token, future = job
            try:
                token.check()
                future.set_result(run())
            except BaseException as fault:  # handed on whole to whoever waits for the result
                future.set_exception(fault)


def share_out(
    work: Callable[[Any], None], items: Sequence[Any], pool: Pool | None, *, priority: int = Priority.VIEW
) -> None:
    """Do `work` on every item in this thread, with the help of a pool's idle threads at a priority.

    It may be called from a job of the same pool: this thread never waits for a helper that has not begun.
    """
    shared = _Shared(work, items)
    token = Token()
    if pool is not None and len(items) > 1:
        for _ in range(pool.size - 1):
            pool.submit(shared.help_out, priority=priority, token=token)
    while shared.take():
        pass
    token.cancel()
    shared.wait_for_helpers()
    if shared.faults:
        raise shared.faults[0]


def map_out(
    work: Callable[[Any], Any], items: Sequence[Any], pool: Pool | None, *, priority: int = Priority.VIEW
) -> list:
    """Return `work` of every item, in order; see `share_out`."""
    results: list = [None] * len(items)

    def one(number: int) -> None:
        results[number] = work(items[number])

    share_out(one, range(len(items)), pool, priority=priority)
    return results


class _Shared:
    """Items that several threads take from until none is left or one has failed."""

    def __init__(self, work: Callable[[Any], None], items: Sequence[Any]):
        self.faults: list[BaseException] = []
        self._work, self._waiting = work, list(reversed(items))
        self._lock, self._ended, self._helpers = threading.Lock(), threading.Semaphore(0), 0

    def take(self) -> bool:
        """Work on the next item; returns whether there was one."""
        with self._lock:
            if self.faults or not self._waiting:
                return False
            item = self._waiting.pop()
        try:
            self._work(item)
        except BaseException as fault:  # told by the thread that asked for the work
            self.faults.append(fault)
        return True

    def help_out(self) -> None:
        """Take items until none is left."""
        with self._lock:
            self._helpers += 1
        while self.take():
            pass
        self._ended.release()

    def wait_for_helpers(self) -> None:
        """Wait for those that have begun: only they can still hold an item."""
        with self._lock:
            begun = self._helpers
        for _ in range(begun):
            self._ended.acquire()
