"""Errors that nobody foresaw: a line for the user, the rest in a log file in the user's state folder."""

from __future__ import annotations

import logging
import sys
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

import platformdirs

from dustpan.core.errors import UnforeseenError

_LARGEST = 1 << 20  # bytes of a log file; the one before it is kept
_log = logging.getLogger("dustpan")


def log_file() -> Path:
    """Return where the log is kept."""
    return Path(platformdirs.user_log_dir("dustpan")) / "dustpan.log"


def record_fault(fault: BaseException) -> UnforeseenError:
    """Write an error nobody foresaw to the log, and return what to show of it."""
    if not _log.handlers:
        _log.addHandler(_handler())
        _log.propagate = False
    _log.error("unforeseen", exc_info=fault)
    what = " ".join(str(fault).split())[:160] or type(fault).__name__
    return UnforeseenError(
        f"An unexpected error: {what}. The picture and its route are unchanged; details are in the log {log_file()}."
    )


def _handler() -> logging.Handler:
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(log_file(), maxBytes=_LARGEST, backupCount=1, encoding="utf-8")
    except OSError:  # a home that can't be written to is no reason to stop
        handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    return handler


def catch_in_slots(tell: Callable[[UnforeseenError], None]) -> None:
    """Tell errors raised in the window's own code instead of letting them end the program."""

    def hook(kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        if isinstance(fault, KeyboardInterrupt):
            sys.__excepthook__(kind, fault, trace)
        else:
            tell(record_fault(fault))

    sys.excepthook = hook
