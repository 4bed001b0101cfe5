"""The one way a kernel is compiled: serial, without the interpreter lock, kept in the user's cache folder.

A kernel that is called from Python is declared with the types of its arguments, so it has exactly one compiled form;
a call with other types raises TypeError instead of compiling for half a minute. Helpers that only other kernels of the
same module call are declared with `helper`. Modules of this folder import nothing from one another but `eight`, so each
module's compiled code depends on its own source and that one, and is kept in a folder named after the hash of both.
"""

from __future__ import annotations

import hashlib
import os
import platform
import tempfile
import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import llvmlite
import numba
import numpy as np
import platformdirs
from numba.core.caching import UserProvidedCacheLocator

# "contract" allows fused multiply-add; nothing that would reorder sums is allowed.
_OPTIONS: dict[str, Any] = {"nogil": True, "fastmath": {"contract"}, "error_model": "numpy"}

#: Every kernel that Python calls, in the order of declaration.
KERNELS: list[Kernel] = []


class SourceLocator(UserProvidedCacheLocator):
    """Finds compiled code by the source it was made of, not by where that lies: installations share theirs."""

    @classmethod
    def get_suitable_cache_subpath(cls, py_file: str) -> str:
        """Return the folder's name within the cache folder; by default it is made of the module's own folder."""
        return "compiled"


_LOCATOR = f"{__name__}.{SourceLocator.__name__}"


class Kernel:
    """A function compiled for one signature, when it is first called or by `compile`.

    Parameters
    ----------
    function : written in the subset of Python that numba compiles.
    arguments : their types, as numba writes them.
    """

    def __init__(self, function: Callable, arguments: str):
        self.__doc__ = function.__doc__
        self.name = function.__name__
        self.folder = cache_folder(Path(function.__code__.co_filename))
        # Both are read while the function is wrapped.
        numba.config.CACHE_DIR, numba.config.CACHE_LOCATOR_CLASSES = str(self.folder), _LOCATOR  # type: ignore[attr-defined]
        self._dispatcher = numba.njit(cache=True, **_OPTIONS)(function)
        self._arguments = arguments
        self._lock = threading.Lock()
        self._call: Callable | None = None

    def __call__(self, *arguments: Any) -> Any:
        """Run the kernel; raises TypeError for arguments of other types."""
        return (self._call or self.compile())(*arguments)

    @property
    def signatures(self) -> list:
        """The signatures compiled so far."""
        return self._dispatcher.signatures

    @property
    def cache_path(self) -> Path:
        """The folder that its compiled form is kept in."""
        return Path(self._dispatcher.stats.cache_path)

    def compile(self) -> Callable:
        """Compile the kernel, or load it from the cache folder."""
        with self._lock:
            if self._call is None:
                self._dispatcher.compile(f"void({self._arguments})")
                self._dispatcher.disable_compile()
                self._call = self._dispatcher
        return self._call


def kernel(arguments: str) -> Callable[[Callable], Kernel]:
    """Declare a kernel that Python calls, and register it to be compiled by `make setup`.

    Parameters
    ----------
    arguments : types in numba's notation, for example "f4[:,::1], i8" for a C-contiguous plane and a whole number.
    """

    def declare(function: Callable) -> Kernel:
        declared = Kernel(function, arguments)
        KERNELS.append(declared)
        return declared

    return declare


def helper(function: Callable) -> Any:
    """Declare a function that kernels of the same module call; it is compiled with them."""
    return numba.njit(**_OPTIONS)(function)


@cache
def cache_folder(source: Path) -> Path:
    """Return the folder that holds the compiled kernels of a source file, for these versions and this machine.

    Several installations share a user's cache folder without meeting each other's code.
    """
    shared = (Path(__file__), Path(__file__).with_name("eight.py"))
    digest = hashlib.blake2b(b"".join(path.read_bytes() for path in (source, *shared)), digest_size=8)
    versions = (numba.__version__, llvmlite.__version__, np.__version__, platform.python_version(), platform.machine())
    digest.update(repr(versions).encode())
    name = f"kernels/{source.stem}-{digest.hexdigest()}"
    own = Path(platformdirs.user_cache_dir("dustpan")) / name
    if _can_write(own):
        return own
    # No home, or one that can't be written to: kept until the machine is started again.
    return Path(tempfile.gettempdir()) / f"dustpan-{os.getuid()}" / name


def _can_write(folder: Path) -> bool:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (OSError, RuntimeError):
        return False
    return os.access(folder, os.W_OK)
