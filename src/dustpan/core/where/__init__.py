"""Mask parts: one module a kind, found by the registry."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import cast

from dustpan.core.document import kinds
from dustpan.core.where.base import PartKind


@cache
def part_kinds() -> Mapping[str, PartKind]:
    """Return all kinds of mask part by name, in the order in which they are listed."""
    found = cast(Mapping[str, PartKind], kinds.part_kinds())
    return dict(sorted(found.items(), key=lambda item: (not item[1].by_picture, item[1].order)))
