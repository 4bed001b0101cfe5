"""The proposed route on the bench: measuring, rendering, and what it gains at several ISOs."""

from __future__ import annotations

import numpy as np

from benchmarks.common import console, median_seconds, psnr, table
from dustpan.core.document.history import Document
from dustpan.core.judge.propose import propose_route
from dustpan.core.picture.working import to_working
from dustpan.core.render.engine import Engine
from dustpan.core.render.output import render_native
from dustpan.core.work.pool import Pool
from dustpan.files.save import FORMATS
from dustpan.simulate.scenes import clean_picture, noisy_picture


def run() -> None:
    """Print seconds and decibels for three ISOs."""
    truth = clean_picture("bench", dtype=np.float32).pixels
    shown = table("Proposed route on the bench", "ISO", "MP", "propose s", "render s", "s/MP", "noisy dB", "cleaned dB")
    for iso in (1600, 6400, 12800, 25600):
        source = noisy_picture("bench", iso=iso)
        pool = Pool()

        def work(source=source, pool=pool):
            engine = Engine(source, pool=pool)
            plan = engine.plan(Document(propose_route(engine)))
            return render_native(engine, plan, FORMATS["png"], pool=pool)

        measure = median_seconds(lambda s=source, pool=pool: propose_route(Engine(s, pool=pool)), 3)
        whole = median_seconds(work, 3)
        cleaned = psnr(to_working(work()), truth)
        pool.close()
        megapixels = source.width * source.height / 1e6
        shown.add_row(
            str(iso),
            f"{megapixels:.1f}",
            f"{measure:.2f}",
            f"{whole - measure:.2f}",
            f"{(whole - measure) / megapixels:.3f}",
            f"{psnr(to_working(source.pixels), truth):.2f}",
            f"{cleaned:.2f}",
        )
    console.print(shown)
