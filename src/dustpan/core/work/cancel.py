"""How work learns that nobody waits for it any more."""

from __future__ import annotations

import threading
from collections.abc import Callable

from dustpan.core.errors import Cancelled

#: Called now and then by long work; raises Cancelled when the result is no longer wanted.
Check = Callable[[], None]


def no_check() -> None:
    """Stand in for a check where work is never cancelled."""


class Token:
    """A flag that cancels work: its owner sets it, workers call `check` now and then."""

    def __init__(self):
        self._event = threading.Event()

    def cancel(self) -> None:
        """Ask the work to stop."""
        self._event.set()

    @property
    def cancelled(self) -> bool:
        """Whether the work was asked to stop."""
        return self._event.is_set()

    def check(self) -> None:
        """Raise Cancelled when the work was asked to stop."""
        if self._event.is_set():
            raise Cancelled("stopped")
