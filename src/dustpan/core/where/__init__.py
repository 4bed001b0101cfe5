"""The registry of mask parts: every module of this folder that has a KIND."""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

from dustpan.core.where.base import PartKind


@cache
def part_kinds() -> dict[str, PartKind]:
    """Return all kinds of mask part by name."""
    found = {}
    for info in pkgutil.iter_modules(__path__):
        module = importlib.import_module(f"{__name__}.{info.name}")
        if kind := getattr(module, "KIND", None):
            found[kind.kind] = kind
    return found
