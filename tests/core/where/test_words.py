"""A Where told in one line."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dustpan.core.document.route import Where
from dustpan.core.where.words import READY, free_part_id, new_part, told


def made(*parts, **rest) -> Where:
    where = Where(**rest)
    for kind, op, values in parts:
        where = replace(where, parts=(*where.parts, new_part(where, kind, op=op, **values)))
    return where


LINES = {
    "everywhere": made(),
    "nowhere": made(invert=True),
    "edges": made(("edges", "add", {})),
    "edges, without darks": made(("edges", "add", {}), ("brightness", "subtract", {"high": 0.3})),
    "all but ellipse": made(("ellipse", "add", {}), invert=True),
    "all without stars": made(("stars", "subtract", {})),
    "flats, within gradient": made(("flat", "add", {}), ("gradient", "intersect", {})),
    "brights, plus “sky”": made(("brightness", "add", {"low": 0.6, "high": 1.0}), ("named", "add", {"name": "sky"})),
    "brightness": made(("brightness", "add", {"low": 0.2, "high": 0.6})),
}


@pytest.mark.parametrize("line", LINES)
def test_a_where_reads_as_one_would_say_it(line):
    assert told(LINES[line]) == line


def test_parts_that_are_off_are_not_told_and_inverted_ones_are():
    where = made(("edges", "add", {}), ("flat", "add", {}))
    off = replace(where, parts=(where.parts[0], replace(where.parts[1], on=False)))
    assert told(off) == "edges"
    assert told(replace(where, parts=(replace(where.parts[0], invert=True),))) == "not edges"


def test_ids_are_never_given_twice():
    where = made(("edges", "add", {}), ("edges", "add", {}))
    assert [part.id for part in where.parts] == ["edges_1", "edges_2"] and free_part_id(where, "flat") == "flat_1"
    without = replace(where, parts=where.parts[1:])
    assert free_part_id(without, "edges") == "edges_1"
    assert len({told(where) for where in READY.values()}) == len(READY)
