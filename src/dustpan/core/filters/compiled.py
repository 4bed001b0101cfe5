"""The one way a kernel is compiled: serial, without the interpreter lock, kept in the user's cache folder."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba

from dustpan.core.filters.warm import cache_folder

numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]

# "contract" allows fused multiply-add; nothing that would reorder sums is allowed.
_OPTIONS: dict[str, Any] = {"nogil": True, "cache": True, "fastmath": {"contract"}, "error_model": "numpy"}


def kernel(function: Callable) -> Any:
    """Compile a function when it is first called."""
    return numba.njit(**_OPTIONS)(function)
