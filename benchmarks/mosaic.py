"""Our interpolation of a sensor's mosaic against the best of LibRaw's: decibels and seconds."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import rawpy

from benchmarks.common import console, median_seconds, psnr, table
from dustpan.core.document.route import Route
from dustpan.core.filters.mosaic import demosaic_fine
from dustpan.core.picture.source import Source
from dustpan.core.render.engine import Engine
from dustpan.core.steps import kind_of
from dustpan.core.steps.tone.develop import DevelopParams
from dustpan.files.save import save_raw
from dustpan.simulate.camera import TO_DISPLAY, WHITE_BALANCE
from dustpan.simulate.scenes import load_truth, raw_picture

_THEIRS = {False: ("PPG", "AHD", "DCB", "DHT", "AAHD"), True: ("PPG", "AHD", "DHT")}  # 6 x 6 has one way, in passes
_RIM = 16  # px left out at each side


def run() -> None:
    """Print a row for each pattern and ISO."""
    truth = np.clip(np.clip(load_truth("bench") @ np.linalg.inv(TO_DISPLAY).T, 0, None), 0, 1)
    shown = table(
        "A mosaic interpolated, one thread", "pattern", "ISO", "ours dB", "LibRaw's best dB", "ours s/MP", "its s/MP"
    )
    for six in (False, True):
        for iso in (100, 1600, 12800):
            source = raw_picture("bench", iso=iso, six=six)
            ours, seconds = _ours(source, truth)
            best, its_seconds = _theirs(source, truth, six)
            figures = [f"{v:.2f}" for v in (ours, best)] + [f"{v:.3f}" for v in (seconds, its_seconds)]
            shown.add_row("6 x 6" if six else "2 x 2", str(iso), *figures)
    console.print(shown)


def _decibels(picture: np.ndarray, truth: np.ndarray) -> float:
    inner = (slice(_RIM, -_RIM), slice(_RIM, -_RIM))
    return psnr(picture[inner], truth[inner])


def _ours(source: Source, truth: np.ndarray) -> tuple[float, float]:
    region = (0, 0, source.width, source.height)
    engine = Engine(source)
    analysis = kind_of("develop").analyse(DevelopParams(), engine.survey(engine.plan_mosaic(Route())))
    assert source.mosaic is not None
    colours = source.mosaic.colours(region)
    plane = source.read(region)[..., 0] * WHITE_BALANCE[colours]

    def job() -> np.ndarray:
        return demosaic_fine(plane, colours, floor=analysis.floor)

    return _decibels(job(), truth), median_seconds(job, 3) / (plane.size / 1e6)


def _theirs(source: Source, truth: np.ndarray, six: bool) -> tuple[float, float]:
    """Return decibels of LibRaw's best way on the same mosaic, and its seconds a megapixel."""
    found = []
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.dng"
        save_raw(path, source)
        for name in _THEIRS[six]:

            def job(name=name) -> np.ndarray:
                with rawpy.imread(str(path)) as raw:
                    return raw.postprocess(
                        demosaic_algorithm=getattr(rawpy.DemosaicAlgorithm, name),
                        output_color=rawpy.ColorSpace.raw,
                        gamma=(1, 1),
                        no_auto_bright=True,
                        output_bps=16,
                        user_wb=[*map(float, WHITE_BALANCE), 1.0],
                        adjust_maximum_thr=0.0,
                    )

            found.append((_decibels(job() / 65535, truth), job))
        best, job = max(found, key=lambda pair: pair[0])
        return best, median_seconds(job, 3) / (source.width * source.height / 1e6)
