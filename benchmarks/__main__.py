"""Print the benchmarks' tables: `python -m benchmarks [name …]`; all of them by default.

Names: measuring, blind, assumed, cleaning, mending, false_finds, scenes, crisp, route, proposals, readings, renders,
formats, frames, hostile, sizes, mosaic, where, window, opening. And `sweep`, which takes half an hour: see
`benchmarks.sweep` for its options.
"""

from __future__ import annotations

import os
import sys

for name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS"):
    os.environ.setdefault(name, "1")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks import (
    assumed,
    blind,
    cleaning,
    crisp,
    false_finds,
    formats,
    frames,
    hostile,
    measuring,
    mending,
    mosaic,
    opening,
    proposals,
    readings,
    renders,
    route,
    scenes,
    sizes,
    sweep,
    where,
    window,
)

TABLES = {
    "measuring": measuring.run,
    "blind": blind.run,
    "assumed": assumed.run,
    "cleaning": cleaning.run,
    "mending": mending.run,
    "false_finds": false_finds.run,
    "route": route.run,
    "scenes": scenes.run,
    "crisp": crisp.run,
    "proposals": proposals.run,
    "readings": readings.run,
    "renders": renders.run,
    "formats": formats.run,
    "frames": frames.run,
    "hostile": hostile.run,
    "sizes": sizes.run,
    "mosaic": mosaic.run,
    "where": where.run,
    "window": window.run,
    "opening": opening.run,
}

if sys.argv[1:2] == ["sweep"]:
    sweep.main(sys.argv[2:])
for wanted in sys.argv[1:] or TABLES:
    TABLES[wanted]()
