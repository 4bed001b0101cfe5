"""One pool of threads, one a core, that takes the most urgent job first."""

from __future__ import annotations

import heapq
import itertools
import math
import os
import threading
from collections.abc import Callable
from concurrent.futures import Future
from enum import IntEnum

from dustpan.core.errors import Cancelled
from dustpan.core.work.cancel import Token


class Priority(IntEnum):
    """Order of jobs: what is on screen comes first."""

    VIEW_DRAFT = 0
    VIEW = 1
    AROUND = 2
    EXPORT = 3


class Pool:
    """Threads that run jobs by priority, then in the order of submission.

    Parameters
    ----------
    threads : how many; one per core by default.
    yielding : for a window: run the threads at a lower priority of the operating system, and let one more take drafts
        alone, which then never wait for the end of a job that is less urgent.
    """

    def __init__(self, threads: int | None = None, *, yielding: bool = False):
        self._yielding = yielding
        self.size = threads or os.cpu_count() or 1
        self._jobs: list = []
        self._count = itertools.count()
        self._ready = threading.Condition()
        self._open = True
        least = [math.inf] * self.size + [float(Priority.VIEW_DRAFT)] * yielding
        self._threads = [
            threading.Thread(target=self._work, args=(lowest,), name=f"dustpan-{n}", daemon=True)
            for n, lowest in enumerate(least)
        ]
        for thread in self._threads:
            thread.start()

    def submit(self, job: Callable[[], object], *, priority: int, token: Token) -> Future:
        """Queue a job and return its future, which ends with Cancelled when the token stops the job.

        Raises Cancelled when the pool is closed: what asks for more of its work then is given up as well.
        """
        future: Future = Future()
        with self._ready:
            if not self._open:
                raise Cancelled
            heapq.heappush(self._jobs, (priority, next(self._count), job, token, future))
            self._ready.notify_all()  # not every thread may take it
        return future

    def close(self) -> None:
        """Wait for the running jobs and stop; jobs still in the queue end with Cancelled."""
        with self._ready:
            self._open = False
            waiting, self._jobs = self._jobs, []
            self._ready.notify_all()
        for *_, future in waiting:
            future.set_exception(Cancelled("closed"))
        for thread in self._threads:
            thread.join()

    def _next(self, lowest: float):
        """Return the most urgent job, once there is one that a thread may take; None after `close`."""
        with self._ready:
            while self._open and not (self._jobs and self._jobs[0][0] <= lowest):
                self._ready.wait()
            return heapq.heappop(self._jobs) if self._open else None

    def _work(self, lowest: float) -> None:
        if self._yielding and hasattr(os, "setpriority"):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 5)
        while job := self._next(lowest):
            _, _, run, token, future = job
            try:
                token.check()
                future.set_result(run())
            except BaseException as fault:  # raised again by whoever waits for the future
                future.set_exception(fault)
