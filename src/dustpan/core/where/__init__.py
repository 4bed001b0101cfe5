"""Mask parts: one module a kind, found by the registry."""

from __future__ import annotations

from collections.abc import Mapping
from typing import cast

from dustpan.core.document import kinds
from dustpan.core.where.part_kind import PartKind


def part_kinds() -> Mapping[str, PartKind]:
    """Return all kinds of mask part by name."""
    return cast(Mapping[str, PartKind], kinds.part_kinds())


def listed_kinds() -> list[PartKind]:
    """Return all kinds in the order of a list: those found by the picture first."""
    return sorted(part_kinds().values(), key=lambda kind: (not kind.by_picture, kind.order))
