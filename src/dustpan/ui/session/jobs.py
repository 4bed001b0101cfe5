"""Run pure jobs in the pool and bring their results back to the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.errors import Cancelled, DustpanError
from dustpan.core.work.cancel import Token
from dustpan.core.work.pool import Pool, Priority
from dustpan.ui.log import record_fault


class Jobs(QObject):
    """Hand jobs to the pool; each result comes back by a queued signal, unless its token was cancelled.

    lent : whether the pool is another's, that only what is conducted here has a thread of its own.

    Signals
    -------
    failed(error) : a job ended with an error that the user should read. An unforeseen error is written to the log and
        told in one line.
    """

    failed = pyqtSignal(object)
    _ended = pyqtSignal(object, object, object, object)

    def __init__(self, pool: Pool, parent: QObject | None = None, *, lent: bool = False):
        super().__init__(parent)
        self.pool, self._lent = pool, lent
        self._conductor = Pool(1)
        self._closed = False
        self._ended.connect(self._deliver)

    def close(self) -> None:
        """End both pools, but for one that is lent; jobs still waiting are dropped."""
        self._closed = True
        self._conductor.close()
        if not self._lent:
            self.pool.close()

    def run(
        self,
        job: Callable[[], Any],
        then: Callable[[Any], None],
        *,
        priority: Priority,
        token: Token,
        failed: Callable[[DustpanError], None] | None = None,
    ) -> None:
        """Run `job` in a worker and call `then` with its result in this thread; nothing after `close`."""
        if self._closed:
            return
        self._watch(self.pool.submit(job, priority=priority, token=token), then, token, failed)

    def conduct(
        self,
        job: Callable[[], Any],
        then: Callable[[Any], None],
        *,
        token: Token,
        failed: Callable[[DustpanError], None] | None = None,
    ) -> None:
        """Run a job that itself hands blocks to the pool, on a thread of its own so that it can wait for them."""
        if not self._closed:
            self._watch(self._conductor.submit(job, priority=Priority.EXPORT, token=token), then, token, failed)

    def _watch(self, future, then, token: Token, failed) -> None:
        future.add_done_callback(lambda done: self._ended.emit(done, then, token, failed))

    def _deliver(self, future, then, token: Token, failed) -> None:
        fault = future.exception()
        if token.cancelled or isinstance(fault, Cancelled):
            return
        if fault is None:
            then(future.result())
            return
        told = fault if isinstance(fault, DustpanError) else record_fault(fault)
        (failed or self.failed.emit)(told)
